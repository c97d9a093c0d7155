from django.apps import AppConfig


class MotionConfig(AppConfig):
    name = "server.motion"

    def ready(self) -> None:
        """Sequences answer their study's question, which the findings below know nothing of."""
        from server.findings import studies  # noqa: PLC0415 - models are there only now
        from server.motion.facts import sequence_facts, sequence_stamps  # noqa: PLC0415

        studies.sequences_by(sequence_facts, sequence_stamps)
