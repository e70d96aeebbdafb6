"""Terms of the field, each explained in a sentence or two."""

GLOSSARY: tuple[tuple[str, str], ...] = (
    ("dial error", "What the dial shows minus the true frequency: positive when the dial reads high."),
    (
        "uncertainty",
        "One standard deviation, written ±. The truth lies within it in two of three cases, within twice it in 95%.",
    ),
    ("ppm", "Parts per million of a frequency: 1 ppm is 1 Hz at 1 MHz and 100 Hz at 100 MHz."),
    (
        "crystal",
        "The receiver's clock. Fast by p ppm, it shows every signal low by about p ppm of the frequency at the socket.",
    ),
    ("LO, local oscillator", "The oscillator in a converter that moves a band up or down by its frequency."),
    (
        "converter",
        "A box that moves a band: sum gives f + L, low-side f − L, high-side L − f, which also inverts the spectrum.",
    ),
    ("ADC", "Analogue-to-digital converter: what turns the signal in a receiver into samples; too strong ones clip."),
    ("route", "The way from an antenna through filters and converters to a receiver; each band runs over one."),
    (
        "bias feed",
        "Direct current that a receiver or injector puts on the line, for an amplifier or LNB at its far end.",
    ),
    (
        "IF output",
        "A transceiver's intermediate frequency brought out: the receiver stays on it, and the dial follows the rig.",
    ),
    ("split", "A transceiver that receives on one frequency and transmits on another."),
    ("pass-band", "The stretch of frequencies that a receiver hears at a time: the width of its filter."),
    (
        "occupied bandwidth",
        "The width that holds 99 % of a transmission's power, half a percent lying beyond either edge.",
    ),
    (
        "dummy load",
        "A resistor in the antenna's place: it takes all that is transmitted, and nearly nothing leaves it.",
    ),
    (
        "direct sampling",
        "The tuner is bypassed. What lies above half the clock folds back in zones, every second one inverted.",
    ),
    (
        "isolation",
        "By how much what should not pass is weakened: from a transmitter to its taps, between a switch's ways.",
    ),
    (
        "impedance",
        "50 or 75 ohms in receiving. A step costs little, 0.18 dB, but shifts a filter that stands beside it.",
    ),
    (
        "route, switched",
        "Dialling a frequency that the route in use does not reach switches to one that does, unless it is held.",
    ),
    ("carrier", "The steady line at the middle of a signal, whose frequency can be measured to a fraction of a hertz."),
    ("C/N0", "Carrier power over the noise in one hertz, in dB-Hz: it sets how fast a measurement gets sharp."),
    ("sky-wave", "A signal by way of the ionosphere. Its frequency wanders by 0.1 to 1 Hz, most at dawn and dusk."),
    ("fit", "Least squares over all measurements: the error of each oscillator that explains them best."),
    (
        "cannot yet be separated",
        "Through a converter, crystal and oscillator shift the dial together; a carrier without it separates them.",
    ),
    (
        "stated, measured, assumed",
        "Where a value comes from: a data sheet, a measurement of yours, or the usual for its class.",
    ),
    ("I/Q", "The two halves of a complex sample stream, from which a slice of spectrum around the centre is made."),
    (
        "sideband",
        "Half of what modulation makes beside a carrier; SSB sends one of them alone, without the carrier.",
    ),
    ("squelch", "Silence while the channel is weaker than a level you choose, so that only stations are heard."),
    ("de-emphasis", "FM stations raise high tones before sending, by 50 or 75 us; the receiver lowers them again."),
    ("mirror", "A signal's image on the other side of the centre, from branches I and Q that are not quite alike."),
    ("gain control", "Evens out loudness: down at once for a strong station, up slowly for a weak one."),
    ("synchronous AM", "AM heard against its own carrier's phase: fading of one sideband distorts less."),
    ("dBFS", "Level relative to the largest that the ADC can take; it becomes dBm only by calibration."),
    (
        "products",
        "Signals that a receiver makes itself of strong ones where it overloads: they fall faster than signals do.",
    ),
    (
        "3:1 test",
        "Take X dB off in front: a true signal falls by X, what the receiver makes of two strong ones by 3 X.",
    ),
    ("full scale", "The largest level that a receiver's ADC can take; beyond it samples are clipped."),
    (
        "process gain",
        "What is won over the noise of a wide span by hearing a narrow piece of it: 10 log10 of their ratio.",
    ),
    ("clean part", "The middle four fifths of a span; nearer to its edges stands what is folded in from beyond them."),
    ("raster", "Transmitters of a service sit on whole multiples of a spacing, such as 9 kHz on medium wave."),
    ("warm-up", "A cold crystal moves by some ppm and settles over minutes, as an exponential does."),
    (
        "Allan deviation",
        "How far an oscillator's mean over some time differs from the next one's: its steadiness over that time.",
    ),
    (
        "zero beat",
        "Turn until the beat between a carrier and the receiver's own tone stops: the dial is on the carrier.",
    ),
    ("ppb", "Parts in a thousand million: a thousandth of a ppm, 0.145 Hz at 145 MHz."),
    (
        "ghost",
        "Something on the dial that is not there on the air: a mirror, a product, a leak, the receiver's own making.",
    ),
    ("leak-through", "A strong signal that passes a converter unconverted, and shows where it would be after it."),
    ("spike", "A line at the centre that many tuners make by themselves; it goes wherever the centre is put."),
    ("alias", "What lies beyond half the sample rate, folded in; it moves by whole rates when the rate changes."),
    (
        "harmonic mixing",
        "A signal near two to five times the tuner's oscillator, mixed in by it: it moves the other way than the "
        "centre, one to four times as far.",
    ),
    ("tuner image", "A signal twice the tuner's intermediate frequency away, turned over; it moves like a mirror."),
    ("half-IF", "Twice a signal that lies half an intermediate frequency away: it falls 2 dB for each of attenuation."),
    (
        "oscillator sideband",
        "Of a tuner's oscillator: a strong signal shows again a step beside itself, both ways.",
    ),
    ("reciprocal mixing", "Noise of the tuner's oscillator about a strong signal, which raises the floor beside it."),
    ("blocking", "A signal so strong that the receiver loses gain for everything else."),
    (
        "effective bits",
        "How many bits an ideal converter would have with the same noise (IEEE Std 1241): one to four fewer.",
    ),
    (
        "atmospheric noise",
        "Far thunderstorms: most at night, in summer, and the lower the frequency; they end at about 20 MHz.",
    ),
    ("EMF", "What a source has without a load; across a socket that is matched to it stands half of that."),
    (
        "attenuation",
        "Weakening everything that comes from the antenna, in decibels: true signals fall by just as much.",
    ),
    (
        "low-pass filter",
        "Passes what lies below its edge; the more poles, the steeper it falls beyond: 6 dB an octave each.",
    ),
    ("high-pass filter", "Passes what lies above its edge; the more poles, the steeper it falls below."),
    ("notch", "A filter that takes out one stretch and passes the rest, such as all of FM broadcasting."),
    ("ageing", "The slow drift of a crystal over months, fast at first: 1.5 to 2 ppm in a plain one's first year."),
)
