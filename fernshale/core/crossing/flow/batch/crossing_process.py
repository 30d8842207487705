"""The process of one job: `python -m ... JOB.json RESULT.json`. It prints a line for each step and writes how far it came."""

from __future__ import annotations

import signal
import sys
from collections.abc import Sequence
from pathlib import Path

from fernshale.core.base.crash_report import in_words
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import Cancelled, FernshaleError
from fernshale.core.base.json_values import from_json, to_json
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.batch.crossing_job import CrossingJob, carry_out_job
from fernshale.core.crossing.flow.batch.progress import ProjectProgress


def main(arguments: Sequence[str]) -> int:
    """Carry out the job of a file; 0 where its result was written."""
    asked, result = map(Path, arguments)
    job, token = from_json(CrossingJob, asked.read_bytes()), CancelToken()
    signal.signal(signal.SIGTERM, lambda number, frame: token.cancel())  # a step in hand is finished or rolled back
    try:
        progress = carry_out_job(job, Work(token=token, on_line=_say))
    except Cancelled:
        return 1
    except FernshaleError as error:
        progress = ProjectProgress(job.project, trouble=error.message)
    except Exception as error:  # the process's edge
        progress = ProjectProgress(job.project, trouble=in_words(error))
    write_atomic(result, to_json(progress))
    return 0


def _say(line: str) -> None:
    sys.stdout.buffer.write(f"{line}\n".encode("utf-8", "replace"))
    sys.stdout.buffer.flush()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
