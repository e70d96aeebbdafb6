"""All oscillators of a yard after the fit: fitted where observations involve them, as stated elsewhere."""

from yarddial.analysis.correction.fit import CorrectionFit
from yarddial.yard.oscillators import Oscillators, stated_oscillators
from yarddial.yard.station import Station


def priors_of(station: Station) -> dict[str, tuple[float, float]]:
    """Priors from the parts' data sheets: ppm for crystals, hertz above nominal for converters."""
    stated = stated_oscillators(station)
    return {name: (value, stated.sigma(name)) for name, value in zip(stated.names, stated.values, strict=True)}


def merge(stated: Oscillators, fit: CorrectionFit) -> Oscillators:
    """Replace stated values and covariance by the fit's; other oscillators stay independent.

    Both count a converter's oscillator in hertz above its nominal.
    """
    fitted = {estimate.name: i for i, estimate in enumerate(fit.estimates)}
    values = [
        fit.estimates[fitted[name]].value if name in fitted else stated.values[i] for i, name in enumerate(stated.names)
    ]
    covariance = [
        tuple(
            fit.covariance[fitted[a]][fitted[b]]
            if a in fitted and b in fitted
            else 0.0
            if a in fitted or b in fitted
            else stated.covariance[i][j]
            for j, b in enumerate(stated.names)
        )
        for i, a in enumerate(stated.names)
    ]
    return Oscillators(stated.names, tuple(values), tuple(covariance))
