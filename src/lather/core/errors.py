"""Errors that a person may meet: each carries one sentence that says what is wrong and what to do."""

from lather.core.phrases import phrase


class LatherError(Exception):
    """Base of all expected errors.

    `message` is one clear sentence for the person; `path` names the file concerned, if any.
    """

    def __init__(self, message: str, *, path: object = None):
        super().__init__(message)
        self.message = message
        self.path = path


class PictureError(LatherError):
    """A picture file that cannot be read or written."""


class JobFileError(LatherError):
    """A `.lather` file that is damaged, hostile or too new."""


class SaveError(LatherError):
    """Writing failed; nothing half-written was left behind."""


class ChangedOnDisk(SaveError):
    """The file to be replaced is not the one that was read: somebody else saved meanwhile.

    was_there: a save was read from it; else a file was there that was never opened here.
    """

    def __init__(self, path, *, was_there: bool):
        what = "was saved by another window since it was opened here" if was_there else "is there already"
        super().__init__(phrase("%1 %2; save under another name, or replace it knowingly.", path.name, what), path=path)
        self.was_there = was_there


class RequestError(LatherError):
    """A command or a setting that does not make sense."""


class Cancelled(LatherError):
    """Work stopped because the person asked for it."""

    def __init__(self, message: str = "Stopped as asked; nothing was written."):
        super().__init__(message)
