"""`yard-dial check-driver NAME`."""

import click

from yarddial.cli.options import answer, json_option
from yarddial.cli.program import Doors


@click.command()
@click.argument("name")
@click.argument("address", default="")
@json_option
@click.pass_obj
def command(doors: Doors, name: str, address: str, as_json: bool) -> int:
    """Hold an installed driver to the contract of docs/driver.md and print what it breaks; status 1 when it does.

    ADDRESS is what to open, without the driver's name; the first that the driver finds is taken without one.
    The bias feed is never switched on for it.
    """
    from yarddial.drivers.contract import broken_promises
    from yarddial.drivers.time_source import RealTime

    driver = doors.registry().driver(name)
    ready = address or next((receiver.address for receiver in driver.discover() if receiver.state == "ready"), "")
    broken = list(broken_promises(driver, ready, RealTime(), can_open=bool))
    lines = broken or [f"The driver '{name}' keeps what docs/driver.md asks for."]
    if not ready:
        lines.append(f"Nothing was opened: no receiver is ready; plug one in, or say what: check-driver {name} ADDRESS")
    values = {"driver": name, "address": ready, "opened": bool(ready), "broken": broken}
    answer(as_json, values, "\n".join(lines))
    return int(bool(broken))
