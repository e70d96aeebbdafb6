"""Ends a process group when this process ends, however it ends."""

import contextlib
import subprocess

# A shell waits for a word; the pipe's end without one means that this process is gone.
WATCH = 'read -r word; [ -n "$word" ] || kill -s KILL -- "-$0" 2>/dev/null'
DISMISSED_S = 1.0


class GroupGuard:
    """A small shell beside the group; the kernel closes its pipe even after a SIGKILL of this process."""

    def __init__(self, group: int) -> None:
        self._process: subprocess.Popen[bytes] | None = None
        # Without a shell the kernel's own parent-death signal still ends the first process of the group.
        with contextlib.suppress(OSError):
            self._process = subprocess.Popen(
                ["/bin/sh", "-c", WATCH, str(group)],
                stdin=subprocess.PIPE,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
            )

    def dismiss(self) -> None:
        """Stop watching; the group has ended."""
        process, self._process = self._process, None
        if process is None or process.stdin is None:
            return
        with contextlib.suppress(OSError):
            process.stdin.write(b"ended\n")
            process.stdin.close()
        try:
            process.wait(DISMISSED_S)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
