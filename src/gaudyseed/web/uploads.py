"""Files that were sent once and are read as often as is wanted: looked at, imported, frame after frame."""

from __future__ import annotations

import contextlib
import secrets
import shutil
import tempfile
import threading
import weakref
from collections import OrderedDict
from dataclasses import dataclass
from pathlib import Path, PurePath
from typing import IO

from ..core.errors import BadInput
from ..core.formats import LARGEST_FILE
from ..core.formats.apart import no_room
from ..core.formats.reader_limits import NO_ROOM

#: Bytes that are kept together, and files; what was used longest ago goes first.
MOST_BYTES = 4 * LARGEST_FILE
MOST_FILES = 2000


@dataclass(frozen=True)
class Upload:
    """A file that was sent: its own name, and where it lies until it is thrown away."""

    id: str
    name: str
    path: Path
    size: int


class Uploads:
    """Keeps them in a temporary folder, which goes with the process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._kept: OrderedDict[str, Upload] = OrderedDict()
        self._folder: Path | None = None

    def _place(self) -> Path:
        with self._lock:
            if self._folder is None:
                self._folder = Path(tempfile.mkdtemp(prefix="gaudyseed-uploads-"))
                weakref.finalize(self, shutil.rmtree, self._folder, ignore_errors=True)
            return self._folder

    def add(self, body: IO[bytes], name: str) -> Upload:
        """Keep what a body holds. BadInput where the name is missing, and where there is no room."""
        name = PurePath(name.replace("\\", "/")).name[:200]
        if not name:
            raise BadInput("The name of the file is missing. Add ?name=.", place="name")
        word = secrets.token_hex(16)
        try:
            path = self._place() / word
            with path.open("wb") as file:
                shutil.copyfileobj(body, file, 1 << 20)
        except OSError as error:
            if error.errno not in NO_ROOM:
                raise
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)
            raise no_room() from None
        upload = Upload(word, name, path, path.stat().st_size)
        with self._lock:
            self._kept[word] = upload
            over = self._over()
        for old in over:
            old.path.unlink(missing_ok=True)
        return upload

    def _over(self) -> list[Upload]:
        """Take out what is too much, the newest never."""
        found, size = [], sum(u.size for u in self._kept.values())
        while len(self._kept) > 1 and (size > MOST_BYTES or len(self._kept) > MOST_FILES):
            _, old = self._kept.popitem(last=False)
            size -= old.size
            found.append(old)
        return found

    def data(self, word: str) -> tuple[bytes, str]:
        """The bytes and name of a file; BadInput where it is not kept any more."""
        with self._lock:
            upload = self._kept.get(word)
            if upload is not None:
                self._kept.move_to_end(word)
        try:
            if upload is not None:
                return upload.path.read_bytes(), upload.name
        except FileNotFoundError:
            pass
        raise BadInput("The file that was sent is not here any more. Bring it again.", place="upload", code="gone")

    def discard(self, word: str) -> None:
        """Throw a file away; nothing where it is not kept."""
        with self._lock:
            upload = self._kept.pop(word, None)
        if upload is not None:
            upload.path.unlink(missing_ok=True)
