"""Marks of a state, told by shape as well as colour."""

from typing import Literal

Mark = Literal["good", "look", "stop", "unknown"]
