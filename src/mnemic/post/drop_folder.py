"""The drop folder: mail that is put there is taken in, then moved aside."""

import logging
import os
import shutil
import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

from watchfiles import watch

from mnemic.core import MnemicError, UnavailableError
from mnemic.post.files import printable

__all__ = ["DropFolder", "FolderError", "make_folder"]

log = logging.getLogger(__name__)

#: Where files go when they are done with; nothing that was dropped is ever deleted.
_TAKEN, _REFUSED = "taken", "refused"

#: Octets of a file's name that are kept as it is moved aside.
_LONGEST_STEM, _LONGEST_SUFFIX = 180, 30

#: Seconds until the folder is watched again after it could not be.
_PATIENCE = 2.0

#: Milliseconds between two looks, so that a file that grew no more is noticed.
_PACE = 500


class FolderError(MnemicError):
    """A folder that can't be made; the text says what to do."""


def make_folder(path: Path) -> None:
    """Make a folder where it is missing; raises FolderError where that can't be done."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except (FileExistsError, NotADirectoryError) as error:
        problem = f"{path}: a file stands where a folder has to be; move it away"
        raise FolderError(problem) from error
    except OSError as error:
        raise FolderError(f"{path}: this folder can’t be made ({error.strerror})") from error


def _print_of(path: Path) -> tuple[int, int, int]:
    """Number of files, octets and latest change below a path: what grows while it is copied."""
    files = [file for file in (path, *path.rglob("*")) if file.is_file()]
    stats = [file.stat() for file in files]
    latest = max((stat.st_mtime_ns for stat in stats), default=0)
    return len(files), sum(stat.st_size for stat in stats), latest


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
        while not stop.is_set():
            try:
                self._watch(stop)
            except Exception:  # whatever a file or the folder does, its thread goes on
                log.exception("the drop folder could not be looked at; tried again soon")
                stop.wait(_PATIENCE)
                with suppress(FolderError):
                    self.make()

    def _watch(self, stop: threading.Event) -> None:
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
        sizes: dict[Path, tuple[int, int, int]] = {}
        for path in self._dropped():
            try:
                sizes[path] = _print_of(path)
                if self._seen.get(path) == sizes[path]:
                    self._one(path)
            except (OSError, UnavailableError):
                log.exception("%s could not be taken in; tried again soon", printable(path.name))
        self._seen = sizes

    def _one(self, path: Path) -> None:
        try:
            report = self._take(path)
        except UnavailableError:
            raise  # nothing is wrong with the file
        except OSError:
            raise  # the disk's trouble, or the file has just gone
        except MnemicError as error:
            self._aside(path, _REFUSED, "why", str(error))
        except Exception as error:  # a mistake of ours is not to be made again and again
            log.exception("%s could not be read", printable(path.name))
            self._aside(path, _REFUSED, "why", f"Mnemic could not read it: {error!r}")
        else:
            self._aside(path, _TAKEN, "taken", report)

    def _aside(self, path: Path, where: str, ending: str, said: str) -> None:
        """Move a file aside, with a note beside it."""
        suffix = _shortened(path.suffix, _LONGEST_SUFFIX)
        stem = _shortened(path.name.removesuffix(path.suffix), _LONGEST_STEM)
        number, target = 1, self._folder / where / f"{stem}{suffix}"
        while os.path.lexists(target):
            number += 1
            target = target.with_name(f"{stem}-{number}{suffix}")
        shutil.move(path, target)
        note = target.with_name(f"{target.name}.{ending}.txt")
        note.write_text(f"{said}\n", "utf-8", errors="replace")


def _shortened(name: str, most: int) -> str:
    """As much of a name as leaves room for what is put behind it; systems take 255 octets."""
    return os.fsdecode(os.fsencode(name)[:most])
