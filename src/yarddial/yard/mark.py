"""How something stands, as one mark: shown by its shape as well as its colour."""

from typing import Literal

Mark = Literal["good", "look", "stop", "unknown"]
