"""Work for several projects, a few at the same time. What goes wrong in one is its own result, and the others continue."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path
from typing import Generic, Literal, TypeVar

from fernshale.core.base.crash_report import in_words
from fernshale.core.base.errors import Cancelled, FernshaleError
from fernshale.core.base.work import Work

T = TypeVar("T")
State = Literal["begun", "working", "ended"]
# (number of the project, its state, its last line of output)
OnNews = Callable[[int, State, str], None]


@dataclass(frozen=True, slots=True)
class ProjectTask(Generic[T]):
    """Work for a project. `run` raises Cancelled; `failed` makes a result of the reason of any other error, `words` says a result
    in one line."""

    project: Path
    run: Callable[[Work], T]
    failed: Callable[[str], T]
    words: Callable[[T], str]


def run_all(tasks: Sequence[ProjectTask[T]], workers: int, on_news: OnNews, work: Work) -> tuple[T, ...]:
    """The results of all tasks, in their order; at most `workers` run at the same time, each in a thread that waits for processes.

    `on_news` is called by one thread at a time. Raises Cancelled once all that ran has ended.
    """
    lock = threading.Lock()

    def tell(number: int, state: State, line: str) -> None:
        with lock:
            on_news(number, state, line)

    def run(number: int) -> T:
        work.check()
        task = tasks[number]
        tell(number, "begun", "")
        try:
            result = task.run(Work(token=work.token, on_line=lambda line: tell(number, "working", line)))
        except Cancelled:
            raise
        except FernshaleError as error:
            result = task.failed(error.message)
        except Exception as error:  # the thread's edge
            result = task.failed(in_words(error))
        tell(number, "ended", task.words(result))
        return result

    with ThreadPoolExecutor(max_workers=max(1, workers)) as pool:
        futures = [pool.submit(run, number) for number in range(len(tasks))]
        for future in as_completed(futures):
            if future.exception() is not None:
                work.token.cancel()
                break
    return tuple(future.result() for future in futures)
