"""The family of errors that a person may meet: each carries one sentence saying what, where, what now."""


class LuckyFernError(Exception):
    """Anything that went wrong in a way the program can explain in one sentence."""


class ModelError(LuckyFernError, ValueError):
    """A model file that cannot be used as it is."""


class PictureError(LuckyFernError, ValueError):
    """A picture file that cannot be read."""


class ProjectError(LuckyFernError, ValueError):
    """A project file that is damaged, foreign or from a newer version."""


class CommandError(LuckyFernError, ValueError):
    """An edit that makes no sense for this project."""


class ExportError(LuckyFernError, OSError):
    """Files that could not be written."""


class Cancelled(LuckyFernError):
    """The person asked for the work to stop."""
