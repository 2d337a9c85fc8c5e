"""Reading the files of an edition or a data package, whoever made them: within bounds, each once."""

from __future__ import annotations

import stat
import zipfile
from io import BytesIO
from pathlib import Path

from lumenar.app.errors import BadInputError, UserError

MOST_BYTES, MOST_FILES, MOST_RATIO = 256_000_000, 200, 200
"""Limits of a package: bytes when unpacked, number of files, and how many times smaller a file may be when packed."""


def bad_package(path: Path | str, reason: str) -> BadInputError:
    """The error of something that is no package, in one line."""
    return BadInputError("package", f"{path}: {reason}")


def read_package(path: Path) -> dict[str, bytes]:
    """The files of an edition's folder, a package's folder, or a package's zip file, by their paths in it. BadInputError
    where it is none, too large, or has a file twice."""
    try:
        mode = path.stat().st_mode
        if stat.S_ISDIR(mode):
            return _of_folder(path)
        if not stat.S_ISREG(mode):
            raise bad_package(path, "neither a folder nor a file")
        if path.stat().st_size > MOST_BYTES:
            raise bad_package(path, f"larger than {MOST_BYTES // 1_000_000} MB, so it is not read")
        return read_zip(path.read_bytes(), str(path))
    except OSError as e:
        raise bad_package(path, f"cannot be read ({e.strerror or e})") from e


def _of_folder(path: Path) -> dict[str, bytes]:
    found: dict[str, bytes] = {}
    total = 0
    for f in sorted(path.rglob("*")):
        info = f.lstat()
        name = f.relative_to(path).as_posix()
        if stat.S_ISDIR(info.st_mode):
            continue
        if not stat.S_ISREG(info.st_mode):
            raise bad_package(path, f"{name} is no plain file")
        total += info.st_size
        if total > MOST_BYTES or len(found) >= MOST_FILES:
            raise bad_package(
                path, f"more than {MOST_FILES} files or {MOST_BYTES // 1_000_000} MB, so it is no package"
            )
        found[name] = f.read_bytes()
    return found


def read_zip(data: bytes, name: str) -> dict[str, bytes]:
    """The files of a zip file; BadInputError where it is none, would unpack to too much, or has a file twice."""
    try:
        with zipfile.ZipFile(BytesIO(data)) as archive:
            entries = archive.infolist()
            if len(entries) > MOST_FILES or sum(e.file_size for e in entries) > MOST_BYTES:
                raise bad_package(name, f"unpacks to more than {MOST_FILES} files or {MOST_BYTES // 1_000_000} MB")
            found: dict[str, bytes] = {}
            for e in entries:
                if e.file_size > MOST_RATIO * max(e.compress_size, 1000):
                    raise bad_package(name, f"{e.filename} is packed too tightly to be readings")
                if e.filename in found:
                    raise bad_package(name, f"{e.filename} is in it twice")
                with archive.open(e) as packed:
                    content = packed.read(e.file_size + 1)
                if len(content) != e.file_size:
                    raise bad_package(name, f"{e.filename} is not as large as it says")
                found[e.filename] = content
            return found
    except UserError:
        raise
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, ValueError, EOFError, OSError) as e:
        raise bad_package(name, "neither a folder nor a zip file that can be read") from e
    except Exception as e:
        # Damaged streams make the unpackers fail in ways of their own.
        raise bad_package(name, f"cannot be unpacked ({type(e).__name__})") from e
