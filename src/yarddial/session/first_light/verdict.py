"""Verdict of First light: whether the receiver answers."""

from yarddial.session.first_light.device_check import DeviceCheck
from yarddial.session.station.desk import Desk
from yarddial.session.verdict import Verdict
from yarddial.session.wording import capital
from yarddial.yard.plain_text import count_of


def first_light_verdict(device_check: DeviceCheck, desk: Desk) -> Verdict:
    """Worst result of the last run."""
    results = device_check.results
    if device_check.running:
        done = f"{count_of(len(results), 'check')} done"
        return Verdict(
            "unknown", f"Checking {device_check.receiver}: {done}.", "Each appears as it is made.", "checking"
        )
    if device_check.outcome == "cancelled":
        return Verdict(
            "unknown", f"The check of {device_check.receiver} was cancelled.", "What was found is below.", "cancelled"
        )
    if not results:
        name = desk.route.receiver.name if not desk.route.missing else "the receiver"
        sentence = f"It is not known yet whether {name} answers."
        return Verdict("unknown", sentence, "One run tells: driver, link, rates, gain, antenna.", "not checked")
    worst = {"stop": 0, "look": 1, "unknown": 2, "good": 3}
    first = min(results, key=lambda result: worst[result.verdict])
    if first.verdict == "good":
        text = f"{count_of(len(results), 'check')}, all of them good."
        return Verdict("good", f"{device_check.receiver} answers, and all is well with it.", text, "all well")
    wrong = sum(result.verdict in ("stop", "look") for result in results)
    named = device_check.receiver in first.detail
    about = capital(first.detail) if named else f"{device_check.receiver}, {first.name}: {first.detail}"
    return Verdict(
        first.verdict,
        f"{about}.",
        f"{capital(first.fix)}." if first.fix else "",
        f"{wrong} to look at" if wrong else "partly known",
    )
