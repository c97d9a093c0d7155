"""What the runner does next, how long it takes, and what to check when a run came out wrong."""

from matchedpair.queue.state import Ended, Instruction, Looked, QueueRow, QueueState
from matchedpair.queue.time_left import RunningTime, time_left

__all__ = [
    "Ended",
    "Instruction",
    "Looked",
    "QueueRow",
    "QueueState",
    "RunningTime",
    "time_left",
]
