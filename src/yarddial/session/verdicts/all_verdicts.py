"""The verdicts over all places, for the column at the left."""

from yarddial.session.board import Board
from yarddial.session.checking import Checking
from yarddial.session.desk import Desk
from yarddial.session.ghosting import Ghosting
from yarddial.session.inspection import Inspection
from yarddial.session.leveling import Leveling
from yarddial.session.listening import Listening
from yarddial.session.log_keeper import LogKeeper
from yarddial.session.reception import Reception
from yarddial.session.truing import Truing
from yarddial.session.verdicts.of_bands import bands_verdict
from yarddial.session.verdicts.of_bench import bench_verdict
from yarddial.session.verdicts.of_first_light import first_light_verdict
from yarddial.session.verdicts.of_ghosts import ghosts_verdict
from yarddial.session.verdicts.of_levels import levels_verdict
from yarddial.session.verdicts.of_listen import listen_verdict
from yarddial.session.verdicts.of_log import log_verdict
from yarddial.session.verdicts.of_span import span_line
from yarddial.session.verdicts.of_true import place_verdict
from yarddial.session.verdicts.verdict import Verdict
from yarddial.yard.modes import mode_named


def all_verdicts(
    desk: Desk,
    inspection: Inspection,
    checking: Checking,
    truing: Truing,
    listening: Listening,
    reception: Reception,
    leveling: Leveling,
    ghosting: Ghosting,
    board: Board,
    log: LogKeeper,
) -> dict[str, Verdict]:
    """One line for every place, by its name."""
    mode = mode_named(desk.station.mode)
    return {
        "Bench": bench_verdict(desk, inspection.findings(), inspection.coverages()),
        "First light": first_light_verdict(checking, desk),
        "Span": span_line(desk),
        "True": place_verdict(truing, mode),
        "Levels": levels_verdict(leveling, desk),
        "Ghosts": ghosts_verdict(ghosting, desk),
        "Bands": bands_verdict(board.last),
        "Listen": listen_verdict(listening, reception, desk),
        "Log": log_verdict(log),
    }
