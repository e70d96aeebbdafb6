"""Marks of a state, distinguished by shape as well as colour."""

from typing import Literal

Mark = Literal["good", "look", "stop", "unknown"]
