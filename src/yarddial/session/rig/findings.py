"""What is wrong with a linked transceiver; that it is followed is nothing wrong."""

from yarddial.session.finding import Act, Finding
from yarddial.session.rig.rig_control import RigControl
from yarddial.session.rig.verdict import rig_verdict


def rig_findings(rig: RigControl) -> list[Finding]:
    """At most one: the worst."""
    if rig.status == "off":
        return []
    verdict = rig_verdict(rig)
    if verdict.mark not in ("stop", "look"):
        return []
    show = Act("show the transceiver")
    what = f"Transceiver: {verdict.sentence.rstrip('.')}"
    return [
        Finding(verdict.mark, what, verdict.consequence.rstrip("."), show, "Show it", safety=verdict.mark == "stop")
    ]
