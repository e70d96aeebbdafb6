"""Over First light: does the receiver answer."""

from yarddial.session.checking import Checking
from yarddial.session.desk import Desk
from yarddial.session.verdicts.verdict import Verdict
from yarddial.session.verdicts.wording import capital, count_of


def first_light_verdict(checking: Checking, desk: Desk) -> Verdict:
    """What the last run of First light found, the worst first."""
    results = checking.results
    if checking.running:
        done = f"{count_of(len(results), 'check')} done"
        return Verdict("unknown", f"Checking {checking.receiver}: {done}.", "Each appears as it is made.", "checking")
    if checking.ended == "cancelled":
        return Verdict(
            "unknown", f"The check of {checking.receiver} was cancelled.", "What was found is below.", "cancelled"
        )
    if not results:
        name = desk.line.receiver.name if not desk.line.missing else "the receiver"
        sentence = f"It is not known yet whether {name} answers."
        return Verdict("unknown", sentence, "One run tells: driver, link, rates, gain, antenna.", "not checked")
    worst = {"stop": 0, "look": 1, "unknown": 2, "good": 3}
    first = min(results, key=lambda result: worst[result.verdict])
    if first.verdict == "good":
        text = f"{count_of(len(results), 'check')}, all of them good."
        return Verdict("good", f"{checking.receiver} answers, and all is well with it.", text, "all well")
    wrong = sum(result.verdict in ("stop", "look") for result in results)
    named = checking.receiver in first.detail
    about = capital(first.detail) if named else f"{checking.receiver}, {first.name}: {first.detail}"
    return Verdict(
        first.verdict,
        f"{about}.",
        f"{capital(first.fix)}." if first.fix else "",
        f"{wrong} to look at" if wrong else "partly known",
    )
