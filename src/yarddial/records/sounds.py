"""Audio files for measurement."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yarddial.records.reading import why_no_file
from yarddial.yard.errors import BadRecording
from yarddial.yard.plain_text import shown

# Eleven minutes at 48 kHz over all channels; a tone needs no more.
MAX_SOUND_VALUES = 1 << 25


def read_sound(path: Path) -> tuple[NDArray[np.float32], float]:
    """Read samples, full scale 1.0, channels averaged, and their rate; raises BadRecording."""
    import soundfile

    if why_not := why_no_file(path):
        raise BadRecording(f"{shown(str(path))} is {why_not}: give the name of a sound file", str(path))
    try:
        about = soundfile.info(path)
        if about.frames * about.channels > MAX_SOUND_VALUES:
            minutes = about.frames / max(about.samplerate, 1) / 60
            raise BadRecording(f"{path.name} is {minutes:.0f} minutes long: give a piece of it", str(path))
        data, rate = soundfile.read(path, dtype="float32", always_2d=True)
    except (soundfile.LibsndfileError, OSError) as error:
        raise BadRecording(f"{path.name} is no sound that can be read: save it as WAV", str(path)) from error
    sound = np.asarray(data.mean(axis=1), np.float32)
    if not np.isfinite(sound).all():
        raise BadRecording(f"{path.name} holds values that are not finite: record it again", str(path))
    return sound, float(rate)
