"""The command `pellux`. From here on Ctrl-C gives one line and exit status 130, whatever is being imported or done."""

import os
import signal
from types import FrameType


def leave(number: int, frame: FrameType | None) -> None:
    """At once: a transaction that is not committed never was, and the kernel ends our workers with us."""
    os.write(2, b"pellux: interrupted\n")
    os._exit(130)


def main() -> None:
    signal.signal(signal.SIGINT, leave)
    from pellux.cli import main as command

    command()


if __name__ == "__main__":
    main()
