"""Imports that go on while their owner does something else."""

import itertools
import logging
import threading
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from queue import SimpleQueue
from typing import Literal

from mnemic.core import MnemicError, UnavailableError
from mnemic.jobs.intake.arrival import ImportReport, import_messages
from mnemic.post import FileMessage, read_files
from mnemic.post.drop_folder import make_folder
from mnemic.store import Database

__all__ = ["ImportDesk", "ImportProgress", "import_files"]

log = logging.getLogger(__name__)

#: Seconds until what could not be done for a while is tried again.
_PATIENCE = 5.0


@dataclass(frozen=True, slots=True)
class ImportProgress:
    """How an import stands; ``done`` is between 0 and 1 of its octets."""

    id: int
    name: str
    state: Literal["waiting", "running", "finished", "refused"]
    done: float = 0.0
    taken_in: int = 0
    doubles: int = 0
    problem: str = ""


def import_files(database: Database, paths: list[Path], *, sort: bool) -> ImportReport:
    """Import files, all or none: where one of them is not mail, NotMailError is raised first."""
    for _ in read_files(paths, only_mail=True):
        pass
    mail = read_files(paths, only_mail=True)
    return import_messages(database, mail, now=datetime.now(UTC), sort=sort)


class ImportDesk:
    """Imports uploaded files one after the other, in a thread of its own.

    An uploaded file lies in ``folder`` until it is taken in whole: a Mnemic that was stopped half
    way goes on with it at the next start, and takes nothing in twice.
    """

    def __init__(self, database: Database, folder: Path) -> None:
        self._database, self._folder = database, folder
        self._numbers = itertools.count(1)
        self._progress: dict[int, ImportProgress] = {}
        self._waiting: SimpleQueue[tuple[int, Path, bool] | None] = SimpleQueue()
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def make(self) -> None:
        """Make the folder, where it is missing; raises FolderError where that can't be done."""
        make_folder(self._folder)

    def start(self) -> None:
        """Begin, with what was left from before; the folder has to be there."""
        for path in sorted(self._folder.iterdir()):
            if path.suffix == ".part":
                path.unlink()  # an upload that never ended; its owner still has the file
            else:
                self.take(path, path.name, sort=True)
        self._thread.start()

    def stop(self) -> None:
        """Finish what is running, and stop."""
        self._stopping.set()
        self._waiting.put(None)
        self._thread.join()

    def path_for(self, name: str) -> Path:
        """Where an upload of that name is written; it is to be renamed without ``.part``."""
        safe = Path(name.replace("\\", "/")).name.strip(". ") or "mail.eml"
        number = datetime.now(UTC).strftime("%Y%m%d%H%M%S%f")
        short = safe.encode()[-100:].decode("utf-8", "ignore")  # systems take 255 octets
        return self._folder / f"{number}-{short}.part"

    def take(self, path: Path, name: str, *, sort: bool) -> ImportProgress:
        """Let a file be imported in its turn."""
        progress = ImportProgress(next(self._numbers), name, "waiting")
        self._progress[progress.id] = progress
        self._waiting.put((progress.id, path, sort))
        return progress

    def progress(self, import_id: int) -> ImportProgress | None:
        """How an import stands, or None where there is no such import."""
        return self._progress.get(import_id)

    def _run(self) -> None:
        while (job := self._waiting.get()) is not None and not self._stopping.is_set():
            import_id, path, sort = job
            try:
                self._import(import_id, path, sort=sort)
            except UnavailableError as error:  # the file lies there, and is taken in later
                self._tell(import_id, state="waiting", problem=str(error))
                self._stopping.wait(_PATIENCE)
                self._waiting.put(job)
            except Exception as error:  # the thread goes on with the next file
                if not isinstance(error, MnemicError):
                    log.exception("an import failed")
                self._tell(import_id, state="refused", problem=str(error) or repr(error))
                path.unlink(missing_ok=True)  # its owner has it still; tried again it fails again

    def _tell(self, import_id: int, **changes: object) -> None:
        self._progress[import_id] = replace(self._progress[import_id], **changes)  # type: ignore[arg-type] # its own fields

    def _import(self, import_id: int, path: Path, *, sort: bool) -> None:
        self._tell(import_id, state="running", problem="")
        try:
            for _ in read_files([path], only_mail=True):
                pass
            size = max(1, path.stat().st_size)
            read = 0

            def counted() -> Iterator[FileMessage]:
                nonlocal read
                for file in read_files([path], only_mail=True):
                    read += len(file.octets)
                    yield file

            def tell(report: ImportReport) -> None:
                done = min(1.0, read / size)
                self._tell(import_id, done=done, taken_in=report.taken_in, doubles=report.doubles)

            import_messages(
                self._database, counted(), now=datetime.now(UTC), sort=sort, progress=tell
            )
        except UnavailableError:
            raise
        except MnemicError as error:
            problem = str(error).replace(f"{path}", self._progress[import_id].name)
            self._tell(import_id, state="refused", problem=problem)
        else:
            self._tell(import_id, state="finished", done=1.0)
        path.unlink()
