"""Findings about a linked transceiver."""

from yarddial.session.finding import Act, Finding
from yarddial.session.rig.rig_control import RigControl
from yarddial.session.rig.verdict import rig_verdict


def rig_findings(rig: RigControl) -> list[Finding]:
    """Report the worst fault, if any."""
    if name := rig.key.unconfirmed_name:
        what = f"{name} may be transmitting: switch it off by hand"
        why = "it was keyed from here, and since then it has not said that it receives"
        return [Finding("stop", what, why, Act("show the transceiver"), "Show it", safety=True)]
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
