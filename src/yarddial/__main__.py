"""Opens the window, or runs a command."""

import os
import sys


def main() -> int:
    """Run with the command line given: a word that is a command runs it, anything else concerns the window."""
    # The products of matrices are small here: a second BLAS thread would only spin, and take another process's core.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    arguments = sys.argv[1:]
    first = arguments[0] if arguments else ""
    concerns_window = not first or first.endswith(".json") or (first.startswith("-") and first not in _CLI_FLAGS)
    if not concerns_window:
        from yarddial import wiring
        from yarddial.cli.program import run

        return run(arguments, wiring)
    return _open_window(arguments)


_CLI_FLAGS = ("--help", "--version")


def _open_window(arguments: list[str]) -> int:
    from yarddial import wiring
    from yarddial.ui.start import open_window, window_options
    from yarddial.yard.errors import YardDialError

    options = window_options(arguments)
    try:
        session = wiring.demo_session() if options.demo else wiring.own_session(options.file)
    except YardDialError as error:
        print(error, file=sys.stderr)
        return 2
    return open_window(session, options, wiring.OwnFiles())


if __name__ == "__main__":
    sys.exit(main())
