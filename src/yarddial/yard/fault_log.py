"""Fault log for all layers: the standard logging package, imported when needed."""

LOGGER = "yarddial"


def log_fault(what: str, fault: BaseException | None) -> None:
    """Log a fault with its traceback; `what` is a sentence without a full stop, and holds the
    traceback itself where it comes from another process. See `session.faults`."""
    import logging

    logging.getLogger(LOGGER).error(what, exc_info=fault)
