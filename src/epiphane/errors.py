"""Every exception that Epiphane raises on purpose.

A message is one sentence for the editor: what happened, to which file, what can be done.
"""


class EpiphaneError(Exception):
    """Base of all errors whose message may be shown to the user as it is."""


class ParameterError(EpiphaneError, ValueError):
    """A function was called with an argument outside its rule."""


class MediaError(EpiphaneError):
    """A song or a piece of footage cannot be read or written."""


class ProjectFileError(EpiphaneError):
    """A project file cannot be read or written."""


class DiskError(EpiphaneError):
    """A file cannot be read or written."""


class InUseError(EpiphaneError):
    """A project is open in another window."""


class ChangedOnDiskError(EpiphaneError):
    """A project file is another one than when it was opened or saved."""


class RecipeError(EpiphaneError):
    """A recipe cannot be read or kept."""


class EditError(EpiphaneError):
    """An edit asks for something that the project does not allow."""


class CancelledError(EpiphaneError):
    """The user stopped a job before it was done."""
