"""What is wrong with the running receiver."""

from yarddial.session.finding import Finding, going
from yarddial.session.receiver.live_receiver import LiveReceiver
from yarddial.yard.frequency import group_digits


def receiver_findings(receiver: LiveReceiver) -> list[Finding]:
    """Why it does not run, what it lost, what it says."""
    if receiver.trouble:
        return [Finding("look", f"Receiver: {receiver.trouble}", "nothing can be measured")]
    found: list[Finding] = []
    if receiver.running and receiver.lost_samples:
        lost = group_digits(str(receiver.lost_samples))
        what = f"Receiver: {lost} samples lost by the receiver or its link since it was started"
        found.append(going("look", what, "every carrier's phase jumps: use a lower rate", "Span"))
    if receiver.running and receiver.missed_samples:
        what = f"Receiver: {group_digits(str(receiver.missed_samples))} samples came while this computer was too busy"
        found.append(going("look", what, "end other work, or use a lower rate", "Span"))
    if receiver.running and receiver.pictures_left_out:
        what = f"Receiver: {group_digits(str(receiver.pictures_left_out))} pictures left out, as the window was busy"
        found.append(Finding("unknown", what, "no samples were lost by that"))
    if receiver.running and receiver.remark:
        found.append(Finding("look", f"Receiver: {receiver.remark}", "what is measured may be off"))
    return found
