"""The errors of Gullywind: each has one meaning and a stable code; messages say what was expected and what was got."""


class GullywindError(Exception):
    """Anything that Gullywind refuses or cannot do."""

    code = "error"


class InputError(GullywindError, ValueError):
    """A value is outside what the operation accepts."""

    code = "bad-input"


class UnreadableError(GullywindError):
    """A file holds no sound that can be decoded."""

    code = "unreadable"


class StorageError(GullywindError):
    """A file could not be written: disk full, or no permission."""

    code = "storage"


class NotFoundError(GullywindError):
    """The thing asked for does not exist (any more)."""

    code = "not-found"


class NotNowError(GullywindError):
    """Nothing is wrong with what was asked; what it is asked of is not so far, or is so already."""

    code = "not-now"


class ConflictError(GullywindError):
    """The thing was changed elsewhere since it was read."""

    code = "conflict"


class Interrupted(GullywindError):  # noqa: N818 - not an error of anyone, but an end
    """The program is being stopped; the work is taken up again when it starts."""

    code = "interrupted"


class Cancelled(GullywindError):  # noqa: N818 - not an error of anyone, but an end
    """The person asked to stop the work."""

    code = "cancelled"
