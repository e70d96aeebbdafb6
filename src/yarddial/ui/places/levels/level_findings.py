"""Results of sweep, test and levels along the route, as rows of a name and a value; without a value it is a
sentence.
"""

from yarddial.analysis.levels.level_line import LevelLine
from yarddial.session.levels.levels import Levels
from yarddial.yard.frequency import MINUS, format_bound, format_frequency

Row = tuple[str, str]
# Number of products named individually.
MAX_NAMED = 6


def found_rows(levels: Levels) -> list[Row]:
    """Rows of the sweep: reception at the advised setting, cost of other habits, dominant noise."""
    advice, setting = levels.advice, levels.setting
    if not levels.is_current or (advice is None and setting is None):
        return [("Nothing yet.", "")]
    rows: list[Row] = []
    if setting is not None:
        rows += [(name, _db(gain_db)) for name, gain_db in setting.gains_db] if advice is None else []
        rows += [
            ("signal over noise and products", _db(setting.sndr_db, 1)),
            ("middle gain would cost", _cost(setting.midpoint_costs_db)),
            ("automatic gain would cost", _cost(setting.automatic_costs_db)),
        ]
        if setting.attenuator_db:
            strongest = format_frequency(levels.strongest_hz, 3) if levels.strongest_hz else "the strongest"
            rows.append(
                (f"{setting.attenuator_db} dB of attenuation in front would bring", _db(setting.attenuator_gains_db, 1))
            )
            if setting.filter_db:
                rows.append((f"Or a filter that takes {setting.filter_db:.0f} dB off {strongest}.", ""))
    elif advice is not None:
        rows += [] if advice.over_db is None else [("signal over noise there", _db(advice.over_db, 1))]
        costs = (("middle gain would cost", advice.midpoint_costs_db), ("full gain would cost", advice.max_costs_db))
        rows += [(name, _cost(cost_db)) for name, cost_db in costs if cost_db is not None]
    if advice is not None:
        rows += [
            ("antenna's noise takes over", _from(advice.taken_over_db, "never")),
            ("overloads from", _from(advice.bent_from_db, "nowhere")),
        ]
    return rows


def tested_rows(levels: Levels) -> list[Row]:
    """Rows of the 3:1 test: number of lines of each kind, and the products' frequencies."""
    if not levels.is_tested or levels.running_purpose == "test":
        return [("Nothing yet.", "")]
    kinds = [line.kind for _, line in levels.lines]
    rows = [
        ("came to the receiver as they are", str(kinds.count("signal"))),
        ("made in the receiver", str(kinds.count("product"))),
        ("not decided", str(kinds.count("undecided"))),
    ]
    products = [(hertz, line) for hertz, line in levels.lines if line.kind == "product"]
    rows += [(f"{format_frequency(hertz, 2)} falls by", _db(line.fall_db)) for hertz, line in products[:MAX_NAMED]]
    if len(products) > MAX_NAMED:
        rows.append((f"And {len(products) - MAX_NAMED} more.", ""))
    return rows


def along_rows(line: LevelLine | None) -> list[Row]:
    """Rows of the levels: bottleneck, balance of noise, and the origin of dBm."""
    if line is None:
        return [("The dial is out of reach.", "")]
    rows = [(_sentence(line.bottleneck), "")]
    if line.is_hidden:
        rows.append(("With more gain it can be told how strong the noise from outside is.", ""))
    elif line.over_db >= 0:
        rows.append((f"Outside noise is {line.over_db:.0f} dB over the route's own.", ""))
        rows.append(("attenuation that would cost 1 dB", _db(line.to_spare_db)))
    else:
        limit = f", most of it from {line.noisiest}" if line.noisiest else ""
        rows.append((f"The route's own noise is {-line.over_db:.0f} dB over what comes from outside{limit}.", ""))
    rows.append(("ADC's range in the span", _db(line.converter_snr_db)))
    rows.append((f"gained by hearing {format_bound(line.chain.bandwidth_hz)} of it", _db(line.process_gain_db)))
    if line.seen is not None:
        rows.append((f"dBm {line.seen.by}: ±{line.seen.sigma_db:.1f} dB.", ""))
    elif not line.is_hidden:
        rows.append(("Levels are measured once the receiver runs.", ""))
    if line.assumed:
        rows.append((f"Not stated, taken as usual: {'; '.join(line.assumed)}.", ""))
    return rows


def _sentence(text: str) -> str:
    return f"{text[:1].upper()}{text[1:]}."


def _db(value_db: float, places: int = 0) -> str:
    text = f"{value_db:.{places}f}" if places or value_db == round(value_db) else f"{value_db:.3g}"
    return f"{text} dB".replace("-", MINUS)


def _from(gain_db: float | None, never: str) -> str:
    return never if gain_db is None else f"from {gain_db:g} dB".replace("-", MINUS)


def _cost(cost_db: float) -> str:
    return "nothing" if cost_db < 0.5 else f"{cost_db:.1f} dB" if cost_db < 60 else "all of it"
