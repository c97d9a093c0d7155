"""Matrices are small here, and a library that multiplies them on all processors waits busily for its own threads: it
took twice as long, and twice the processor time beside renders that are being timed.
"""

from __future__ import annotations

import threadpoolctl


def on_one_thread() -> None:
    """What multiplies matrices in this process does so on the thread that asks, as far as it is loaded by now. Nothing
    is told to processes that are started, whose engines may have large ones.
    """
    threadpoolctl.threadpool_limits(limits=1, user_api="blas")
