"""Errors that a person can cause, each with a way out in its text."""

from __future__ import annotations

from nimble_tile.core.language import marked, tr


class UserError(Exception):
    """Something the person can put right.

    Parameters
    ----------
    what : str
        One sentence that says what is wrong.
    way_out : str, optional
        One sentence that says what to do about it.
    """

    def __init__(self, what: str, way_out: str = "") -> None:
        self.what = what
        self.way_out = way_out
        super().__init__(f"{what} {way_out}".strip())


class Stopped(Exception):
    """The caller no longer wants the answer."""


class MessageError(UserError):
    """The message cannot become a code with these settings."""


class PictureError(UserError):
    """The picture cannot be opened or used."""


class ProjectError(UserError):
    """The project file cannot be read or written."""


class OutputError(UserError):
    """The finished image cannot be written."""


DOINGS = (
    marked("save"),
    marked("read"),
    marked("make"),
    marked("open"),
    marked("use"),
    marked("write"),
    marked("remove"),
)
"""What can fail with a file."""


def file_error(kind: type[UserError], doing: str, path: object, error: OSError) -> UserError:
    """Turn an operating system error into a sentence.

    Parameters
    ----------
    kind : type[UserError]
        Which error to make.
    doing : str
        What was being done: ``"save"``, ``"read"`` …
    path : object
        The file concerned.
    error : OSError
        What the system said.
    """
    import errno

    causes = {
        errno.ENOSPC: (tr("the disk is full"), tr("Free some space or choose another folder.")),
        errno.EDQUOT: (
            tr("your disk quota is used up"),
            tr("Free some space or choose another folder."),
        ),
        errno.EACCES: (
            tr("you may not access it"),
            tr("Choose another folder or ask for the right."),
        ),
        errno.EPERM: (
            tr("you may not access it"),
            tr("Choose another folder or ask for the right."),
        ),
        errno.EROFS: (tr("that place is read-only"), tr("Choose another folder.")),
        errno.ENOENT: (tr("it or its folder does not exist"), tr("Check the name.")),
        errno.ENOTDIR: (tr("a part of its path is not a folder"), tr("Check the name.")),
        errno.EISDIR: (tr("it is a folder"), tr("Give the name of a file.")),
        errno.ENAMETOOLONG: (tr("its name is too long"), tr("Choose a shorter name.")),
    }
    reason, way_out = causes.get(
        error.errno or 0, (error.strerror or str(error), tr("Try another place."))
    )
    return kind(
        tr("Could not {doing} {path}: {reason}.", doing=tr(doing), path=path, reason=reason),
        way_out,
    )
