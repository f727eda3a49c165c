"""The one wrapper of every task: whatever fails says so, on the object that the task is about.

What may pass by itself (the database or the file store does not answer, a file is busy) is tried again after 3, 9,
27 and 81 seconds. After that, and at once for anything else, the object is told: a version has failed, a document is
set aside, a page has a problem, with the reason or, for a fault of our own, with the reference number under which
the log has all of it. Nothing is left in a state that nobody looks at.
"""

from __future__ import annotations

import contextlib
import secrets
from collections.abc import Callable, Iterator

import procrastinate
import structlog

from jugum.errors import ExternalError, JugumError, NotFound, PaperFault

log = structlog.get_logger()
ATTEMPTS = 5  # the first and four more, after 3, 9, 27 and 81 seconds
RETRY = procrastinate.RetryStrategy(
    max_attempts=ATTEMPTS, exponential_wait=3, retry_exceptions=[ExternalError, OSError]
)


@contextlib.contextmanager
def guarded(context: procrastinate.JobContext, report_failure: Callable[[str], None]) -> Iterator[None]:
    """Run a task's work; `report_failure` is given the words for the person who looks at its object.

    An object that is gone meanwhile needs no words. ExternalError and OSError go on to the queue while it will try
    again.
    """
    job = context.job
    try:
        yield
    except NotFound:
        log.info("what a task was about is gone meanwhile", task=job.task_name, args=job.task_kwargs)
    except (ExternalError, OSError) as error:
        if job.attempts + 1 < ATTEMPTS:
            raise
        message = str(error) if isinstance(error, JugumError) else _unexpected(job, error)
        report_failure(f"{message} It was tried {ATTEMPTS} times.")
    except JugumError as error:
        report_failure(str(error))
    except Exception as error:  # noqa: BLE001 - the edge of the worker: everything unexpected is logged whole and told
        report_failure(_unexpected(job, error))


def _unexpected(job: procrastinate.jobs.Job, error: Exception) -> str:
    reference = secrets.token_hex(4)
    log.error("a task failed", reference=reference, task=job.task_name, args=job.task_kwargs, exc_info=error)
    said = f"Something went wrong in the program; the log has it under reference {reference}."
    return f"{said} {error.told}" if isinstance(error, PaperFault) and error.told else said
