"""Findings about the running receiver."""

from yarddial.session.finding import Act, Finding, going
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.yard.frequency import group_digits
from yarddial.yard.resolved_route import ResolvedRoute

# Errors that are fixed by choosing the receiver, with the button's label.
CHOICE_BUTTONS = {
    "no driver": "Choose the receiver", "DeviceNotFound": "Choose the receiver", "BadDriver": "Choose another",
    "PortAudioMissing": "See what is missing", "ProgramNotAllowed": "Look at the program",
    "DeviceDenied": "See what cures it", "DeviceClaimed": "See what cures it",
}  # fmt: skip


def receiver_findings(receiver: LiveReceiver, route: ResolvedRoute) -> list[Finding]:
    """Report why it does not run, its losses, and its remarks."""
    if receiver.tuner.waits_for_hand:
        # The move is a finding of its own.
        return []
    if receiver.trouble:
        what = f"Receiver: {receiver.trouble}"
        if receiver.trouble_kind in CHOICE_BUTTONS:
            choose = Act("choose the receiver")
            return [Finding("look", what, "nothing can be measured", choose, CHOICE_BUTTONS[receiver.trouble_kind])]
        return [Finding("look", what, "nothing can be measured")]
    findings: list[Finding] = []
    if receiver.wanted and receiver.waits_to_feed(route):
        what = f"Receiver: the yard has {route.receiver.name} feed current to port '{route.port}', and it does not yet"
        why = "only you may switch a feed on: look at Bench first"
        findings.append(Finding("look", what, why, Act("feed the line"), "Feed the line"))
    if receiver.running and receiver.lost_samples:
        lost = group_digits(str(receiver.lost_samples))
        what = f"Receiver: {lost} samples lost by the receiver or its link since it was started"
        findings.append(going("look", what, "every carrier's phase jumps: use a lower rate", "Span"))
    if receiver.running and receiver.missed_samples:
        what = f"Receiver: {group_digits(str(receiver.missed_samples))} samples came while this computer was too busy"
        findings.append(going("look", what, "end other work, or use a lower rate", "Span"))
    if receiver.running and receiver.pictures_left_out:
        what = f"Receiver: {group_digits(str(receiver.pictures_left_out))} pictures left out, as the window was busy"
        findings.append(Finding("unknown", what, "no samples were lost by that"))
    if receiver.running and receiver.remark:
        findings.append(Finding("look", f"Receiver: {receiver.remark}", "what is measured may be off"))
    return findings
