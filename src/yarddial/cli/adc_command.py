"""`yard-dial adc --bits N --rate HZ --bandwidth HZ`."""

import click

from yarddial.cli.options import FREQUENCY, answer, json_option, positive


@click.command()
@click.option("--bits", type=click.IntRange(1, 32), required=True, help="Bits of the converter.")
@click.option("--rate", "rate_hz", type=FREQUENCY, required=True, callback=positive, help="Complex sample rate.")
@click.option(
    "--bandwidth", "bandwidth_hz", type=FREQUENCY, required=True, callback=positive, help="Of what is received."
)
@json_option
def command(bits: int, rate_hz: float, bandwidth_hz: float, as_json: bool) -> None:
    """Print what a converter can do in a bandwidth, and the load of its samples."""
    from yarddial.analysis.span.adc import converter_figures

    figures = converter_figures(bits, rate_hz, bandwidth_hz)
    values = {
        "snr_full_span_db": figures.snr_full_span_db,
        "process_gain_db": figures.process_gain_db,
        "snr_db": figures.snr_db,
        "bytes_per_s": figures.bytes_per_s,
        "effective_bits": figures.effective_bits,
    }
    answer(as_json, values, figures.working().as_text())
