"""The one family of errors whose message may be shown to a user as it is."""

from __future__ import annotations


class BrutoError(Exception):
    """Something a user can understand and act on: what is wrong, where, and what to do next."""


class FileProblem(BrutoError):
    """A file that cannot be read or written as asked."""


class Cancelled(BrutoError):
    """The work was stopped on request; nothing was written."""
