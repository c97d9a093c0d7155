from django.apps import AppConfig


class MotionConfig(AppConfig):
    name = "server.motion"

    def ready(self) -> None:
        """Sequences answer their study's question, which the answers below know nothing of."""
        from server.answers import studies  # noqa: PLC0415 - models are there only now
        from server.motion.facts import sequence_stamps, with_sequences  # noqa: PLC0415

        studies.more_facts_by(with_sequences, sequence_stamps)
