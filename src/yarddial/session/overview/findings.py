"""All findings, worst first; each with its number, why it matters, and its remedy."""

from yarddial.session.faults import Faults
from yarddial.session.finding import Act, Finding
from yarddial.session.log.findings import log_findings
from yarddial.session.overview.topics import Topics
from yarddial.session.receiver.far_findings import far_findings
from yarddial.session.receiver.findings import receiver_findings
from yarddial.session.station.findings import bench_findings, file_findings, hands_findings, reach_findings

ORDER = {"stop": 0, "look": 1, "unknown": 2, "good": 3}


def findings(of: Topics) -> tuple[Finding, ...]:
    """All present findings: stops first, safety first among equals; without routes there are no activities."""
    every_finding = [*file_findings(of.desk, of.file.recovered, of.file.saver), *log_findings(of.log)]
    every_finding += bench_findings(of.inspection) + _faults(of.faults) + far_findings(of.far_engine)
    if of.desk.station.routes:
        every_finding += [*reach_findings(of.desk), *hands_findings(of.hands)]
        every_finding += receiver_findings(of.live_receiver, of.desk.route)
        for declaration, activity in of.made_rooms():
            if declaration.findings is not None:
                every_finding += declaration.findings(activity, of)
    return tuple(sorted(every_finding, key=lambda finding: (ORDER[finding.mark], not finding.safety)))


def _faults(faults: Faults) -> list[Finding]:
    """Report faults of the program itself; they stay until the window is closed."""
    if not faults.count:
        return []
    more = f", and {faults.count - 1} more" if faults.count > 1 else ""
    what = f"The program: {faults.kept[-1].sentence.splitlines()[0].rstrip(':')}{more}"
    why = "a fault that should not be: please report it"
    return [Finding("look", what, why, Act("copy the fault"), "Copy the details")]
