"""Bounds of values, as annotations: a message from another computer is held to them when it is read.

No NaN lies within any bound. They are wider than any receiver, and narrow enough that no value costs memory or time.
"""

from typing import Annotated

from msgspec import Meta

Hertz = Annotated[float, Meta(ge=-1e12, le=1e12)]
WidthHz = Annotated[float, Meta(ge=0, le=1e12)]
# Edges of a channel's filter, from the dial.
EdgeHz = Annotated[float, Meta(ge=-2e6, le=2e6)]
# Half of a picture's span; the transform behind it grows as the span shrinks.
PictureHz = Annotated[float, Meta(ge=1, le=1e12)]
PitchHz = Annotated[float, Meta(ge=0, le=2e4)]
DeemphasisUs = Annotated[float, Meta(ge=0, le=1e3)]
RateHz = Annotated[float, Meta(gt=0, le=1e10)]
# An uncertainty may be infinite: nothing is known.
SigmaHz = Annotated[float, Meta(ge=0)]
DurationS = Annotated[float, Meta(gt=0, le=1e6)]
ColumnS = Annotated[float, Meta(ge=1e-3, le=3_600.0)]
DwellS = Annotated[float, Meta(ge=1e-3, le=60.0)]
LevelDb = Annotated[float, Meta(ge=-1e3, le=1e3)]
RowCount = Annotated[int, Meta(ge=2, le=4_096)]
BinCount = Annotated[int, Meta(ge=16, le=1 << 17)]
BitCount = Annotated[int, Meta(ge=1, le=64)]
Name = Annotated[str, Meta(max_length=1_000)]
Count = Annotated[int, Meta(ge=0, le=1 << 53)]
# Of a channel sent to be demodulated, and of audio; a program allocates by both.
ChannelHz = Annotated[float, Meta(ge=1, le=2e6)]
AudioHz = Annotated[float, Meta(ge=100, le=4e5)]
Factor = Annotated[int, Meta(ge=1, le=1 << 16)]
# A computer's monotonic clock.
ClockS = Annotated[float, Meta(ge=-1e12, le=1e12)]
MAX_SWEPT = 5_000
