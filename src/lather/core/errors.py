"""Errors that a person may meet: each carries one sentence that says what is wrong and what to do."""


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


class RequestError(LatherError):
    """A command or a setting that does not make sense."""


class Cancelled(LatherError):
    """Work stopped because the person asked for it."""

    def __init__(self, message: str = "Stopped as asked; nothing was written."):
        super().__init__(message)
