"""Which folder of a server is which: by special use, by its usual name, else by its own path."""

from collections.abc import Iterable

from mnemic.post.imap import ListedFolder

__all__ = ["is_mirrored", "local_path", "role_of", "server_name"]

#: RFC 6154's special uses.
_USES = {"\\archive": "archive", "\\sent": "sent", "\\junk": "junk", "\\trash": "trash"}

#: Folders that show other folders' mail again, and what can't be opened.
_NOT_MIRRORED = {"\\all", "\\flagged", "\\important", "\\noselect", "\\nonexistent"}

#: What the special folders are usually called, in small letters (common practice).
_NAMES = {
    "archive": "archive|archives|archiv|archief|archivio|archivo|arquivo|arkiv|archiwum",
    "sent": "sent|sent items|sent messages|sent mail|gesendet|gesendete elemente"
    "|gesendete objekte|envoyés|éléments envoyés|messages envoyés|enviados|elementos enviados"
    "|inviata|posta inviata|verzonden|verzonden items|skickat|sendt|wysłane",
    "junk": "junk|spam|junk e-mail|junk email|bulk mail|unerwünscht|spamverdacht"
    "|courrier indésirable|indésirables|correo no deseado|posta indesiderata"
    "|ongewenst|skräppost|spamy",
    "trash": "trash|deleted items|deleted messages|deleted|bin|papierkorb|gelöschte elemente"
    "|gelöscht|corbeille|éléments supprimés|papelera|elementos eliminados|cestino|prullenbak"
    "|verwijderde items|papperskorgen|kosz",
}
_ROLE_OF_NAME = {name: role for role, names in _NAMES.items() for name in names.split("|")}

#: What stands in a folder's name here for a "/" that is no level there.
_SLASH = "∕"


def is_mirrored(folder: ListedFolder) -> bool:
    """Whether a folder's mail is mirrored: that of others is not shown twice."""
    return not folder.attributes & _NOT_MIRRORED


def role_of(folder: ListedFolder, others: Iterable[ListedFolder], prefix: str = "") -> str | None:
    """What a folder is for, where it is special; a name counts only where no use says it."""
    if folder.name.upper() == "INBOX":
        return "inbox"
    for use, role in _USES.items():
        if use in folder.attributes:
            return role
    usual = _ROLE_OF_NAME.get(folder.name.removeprefix(prefix).lower())
    if usual is None:
        return None
    taken = {use for listed in others for use in listed.attributes & set(_USES)}
    by_use = {_USES[use] for use in taken}
    return None if usual in by_use else usual


def local_path(name: str, separator: str | None, prefix: str = "") -> str:
    """A folder's path here: "/" between levels, the prefix of one's own folders left out."""
    own = name.removeprefix(prefix) if name != prefix else name
    levels = own.split(separator) if separator else [own]
    return "/".join(level.replace("/", _SLASH) or _SLASH for level in levels)


def server_name(path: str, separator: str | None, prefix: str = "") -> str:
    """The name on the server of a folder that is made here."""
    levels = path.split("/")
    if separator is None:
        return prefix + " ".join(levels).replace(_SLASH, "/")
    return prefix + separator.join(
        level.replace(_SLASH, "/" if separator != "/" else _SLASH) for level in levels
    )
