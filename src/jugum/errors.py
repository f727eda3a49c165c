"""What can go wrong, in the words of the person it happens to.

JugumError
├── InputError          what was given can't be used: says what, the value, and what is allowed
│   ├── UnreadablePaper a file that can't be turned into pages
│   │   └── LockedPaper one that a password would open
│   ├── NothingToLearn  the labels there are leave nothing to tell apart: more of them would
│   └── BodyTooLarge    a request that says more than is taken at once
├── NotFound            the thing named does not exist (or not for this person)
├── Forbidden           the role does not allow it
├── NotSignedIn         nobody is signed in
├── TooManyAttempts     somebody guesses passwords, and has to wait
├── Conflict            someone else changed it meanwhile, or its state doesn't allow it
├── TaskError           work in the background failed and may be tried again
└── ExternalError       something outside (file store, OCR engine) did not answer
    └── StorageFull     the disk of the file store has no room

Core raises these; the web maps each to a status in one handler.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator


class JugumError(Exception):
    """Base of all errors whose text may be shown to a person."""


class InputError(JugumError):
    pass


class UnreadablePaper(InputError):  # noqa: N818 - named for what the person sees
    pass


class LockedPaper(UnreadablePaper):
    pass


class NothingToLearn(InputError):  # noqa: N818
    pass


class BodyTooLarge(InputError):  # noqa: N818
    pass


class NotFound(JugumError):  # noqa: N818
    pass


class Forbidden(JugumError):  # noqa: N818
    pass


class NotSignedIn(JugumError):  # noqa: N818
    pass


class TooManyAttempts(JugumError):  # noqa: N818
    pass


class Conflict(JugumError):  # noqa: N818
    pass


class TaskError(JugumError):
    pass


class ExternalError(JugumError):
    pass


class StorageFull(ExternalError):  # noqa: N818 - named for what happened
    pass


class PaperFault(Exception):  # noqa: N818 - named for what happened
    """A fault of our own, at one paper of several: its key, and what a person is told of it beside the reference."""

    def __init__(self, key: str) -> None:
        super().__init__(f"a fault at paper {key}")
        self.key, self.told = key, ""


@contextlib.contextmanager
def at_paper(key: str) -> Iterator[None]:
    """What fails inside by a fault of our own is raised as one at this paper."""
    try:
        yield
    except JugumError:
        raise
    except Exception as error:
        raise PaperFault(key) from error
