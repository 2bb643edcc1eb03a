"""The drop folder: mail that is put there is taken in, then moved aside."""

import logging
import shutil
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

from watchfiles import watch

from mnemic.core import MnemicError, UnavailableError

__all__ = ["DropFolder", "FolderError", "make_folder"]

log = logging.getLogger(__name__)

#: Where files go when they are done with; nothing that was dropped is ever deleted.
_TAKEN, _REFUSED = "taken", "refused"

#: Milliseconds between two looks, so that a file that grew no more is noticed.
_PACE = 500


class FolderError(MnemicError):
    """A folder that can't be made; the text says what to do."""


def make_folder(path: Path) -> None:
    """Make a folder where it is missing; raises FolderError where that can't be done."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except FileExistsError as error:
        said = f"{error.filename}: a file stands where a folder has to be; move it away"
        raise FolderError(said) from error
    except OSError as error:
        raise FolderError(f"{path}: this folder can’t be made ({error.strerror})") from error


def _print_of(path: Path) -> tuple[int, int, int]:
    """Number of files, octets and latest change below a path: what grows while it is copied."""
    files = [each for each in (path, *path.rglob("*")) if each.is_file()]
    stats = [each.stat() for each in files]
    latest = max((each.st_mtime_ns for each in stats), default=0)
    return len(files), sum(each.st_size for each in stats), latest


class DropFolder:
    """Watches a folder and hands over what lies in it once it is whole.

    ``take`` is called with each file or Maildir; where it returns, that goes to ``taken``, with a
    note beside it that says what it returned; where it raises MnemicError, to ``refused``, with a
    note that says why. Where it raises UnavailableError the file stays, and is taken later.
    """

    def __init__(self, folder: Path, take: Callable[[Path], str]) -> None:
        self._folder, self._take = folder, take
        self._seen: dict[Path, tuple[int, int, int]] = {}

    def make(self) -> None:
        """Make the folder, and where files go from it, where they are missing."""
        for name in (_TAKEN, _REFUSED):
            make_folder(self._folder / name)

    def run(self, stop: threading.Event) -> None:
        """Watch until ``stop`` is set; the folder has to be there."""
        for _ in watch(
            self._folder,
            stop_event=stop,
            step=50,
            debounce=_PACE,
            rust_timeout=_PACE,
            yield_on_timeout=True,
            recursive=False,
            raise_interrupt=False,
        ):
            self.look()

    def _dropped(self) -> Iterator[Path]:
        for path in sorted(self._folder.iterdir()):
            if path.name not in (_TAKEN, _REFUSED) and not path.name.startswith("."):
                yield path

    def look(self) -> None:
        """Hand over what lies there and has not changed since the last look."""
        found: dict[Path, tuple[int, int, int]] = {}
        for path in self._dropped():
            try:
                found[path] = _print_of(path)
                if self._seen.get(path) == found[path]:
                    self._one(path)
            except (OSError, UnavailableError):
                log.exception("%s could not be taken in; tried again soon", path.name)
        self._seen = found

    def _one(self, path: Path) -> None:
        try:
            said = self._take(path)
        except UnavailableError:
            raise  # nothing is wrong with the file
        except MnemicError as error:
            aside = self._aside(path, _REFUSED)
            aside.with_name(f"{aside.name}.why.txt").write_text(f"{error}\n", "utf-8")
        else:
            aside = self._aside(path, _TAKEN)
            aside.with_name(f"{aside.name}.taken.txt").write_text(f"{said}\n", "utf-8")

    def _aside(self, path: Path, where: str) -> Path:
        target = self._folder / where / path.name
        number = 1
        while target.exists():
            number += 1
            target = target.with_name(f"{path.stem}-{number}{path.suffix}")
        shutil.move(path, target)
        return target
