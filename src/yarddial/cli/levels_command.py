"""`yard-dial levels --stage NAME:gain=dB,nf=dB[,iip3=dBm] ... --bandwidth HZ`."""

import click

from yarddial.cli.options import FREQUENCY, answer, json_option, positive


@click.command()
@click.option("--stage", "stages", multiple=True, required=True, help="NAME:gain=dB,nf=dB[,iip3=dBm], antenna first.")
@click.option(
    "--bandwidth", "bandwidth_hz", type=FREQUENCY, required=True, callback=positive, help="Of what is received."
)
@json_option
def command(stages: tuple[str, ...], bandwidth_hz: float, as_json: bool) -> None:
    """Work a chain out, with its working."""
    from yarddial.yard.cascade import cascade, parse_chain_stage

    chain = cascade([parse_chain_stage(stage) for stage in stages], bandwidth_hz)
    values = {
        "nf_db": chain.nf_db,
        "gain_db": chain.gain_db,
        "iip3_dbm": chain.iip3_dbm,
        "floor_dbm": chain.floor_dbm,
        "sfdr_db": chain.sfdr_db,
    }
    answer(as_json, values, chain.working().as_text())
