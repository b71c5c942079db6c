"""What this user's processes wrote themselves: a seal by which they know it again.

Some of a workspace can only be read by running it (pickles of fitted models, people's functions, commands). A workspace may
come from anywhere; a seal is made with a key that lies outside of it, in the user's own configuration folder.
"""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import os
import secrets
from functools import lru_cache
from pathlib import Path

LENGTH = 32
FOR_MACHINES = b"machines of a cluster"
VARIABLE = "PELLUX_SEAL"  # where no file can be kept, the key goes from the server to its workers, and ends with them


def key_file() -> Path:
    """By the XDG Base Directory Specification."""
    return Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config") / "pellux" / "key"


def key_for_machines() -> str:
    """What machines of a cluster seal with: this user's processes know their seals too, while the machines learn nothing of the key
    itself."""
    return hmac.new(_key(), FOR_MACHINES, hashlib.sha256).hexdigest()


def use(key: str) -> None:
    """Seal with a key that a server of this user sent, in this process and those it starts."""
    global _given
    _given = bytes.fromhex(key)


_given: bytes | None = None


@lru_cache(1)
def _key() -> bytes:
    path = key_file()
    with contextlib.suppress(OSError):
        return _read(path)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        half = path.with_name(f"key.{os.getpid()}")
        with os.fdopen(os.open(half, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
            file.write(secrets.token_bytes(LENGTH))
        try:
            os.link(half, path)  # of two that make one at once the first one's stays
        except FileExistsError:
            pass
        finally:
            half.unlink()
        return _read(path)
    except OSError:
        return bytes.fromhex(os.environ.setdefault(VARIABLE, secrets.token_hex(LENGTH)))


def _read(path: Path) -> bytes:
    found = path.read_bytes()
    if len(found) != LENGTH:
        raise OSError(f"{path} is no key")
    return found


def have_key() -> None:
    """Make the key, or read it: where it cannot be kept, processes that are started from here on get it with their environment."""
    _key()


def mark(content: bytes, purpose: str) -> bytes:
    """32 bytes that only this user's processes can make of a content; those of one purpose are worth nothing for another."""
    return _mark(_given or _key(), content, purpose)


def _mark(key: bytes, content: bytes, purpose: str) -> bytes:
    return hmac.new(key, purpose.encode() + b"\0" + content, hashlib.sha256).digest()


def seal(content: bytes, purpose: str) -> bytes:
    """The content with its mark before it."""
    return mark(content, purpose) + content


def opened(found: bytes, purpose: str) -> bytes | None:
    """The content; None where it is damaged, or was written by somebody else or for something else."""
    content = found[LENGTH:]
    keys = (_given,) if _given else (_key(), bytes.fromhex(key_for_machines()))
    return content if any(hmac.compare_digest(_mark(key, content, purpose), found[:LENGTH]) for key in keys) else None
