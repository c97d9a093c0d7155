from django.apps import AppConfig


class SearchesConfig(AppConfig):
    name = "server.searches"

    def ready(self) -> None:
        """What a search found answers its study's question, which the answers below know nothing of."""
        from server.answers import studies  # noqa: PLC0415 - models are there only now
        from server.searches.facts import search_stamps, with_searches  # noqa: PLC0415

        studies.more_facts_by(with_searches, search_stamps)
