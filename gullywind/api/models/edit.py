"""What every edit of a recording states."""

from gullywind.api.models.recordings import Body


class Edit(Body):
    """What every edit carries: the version of the recording that it was made on."""

    version: int
