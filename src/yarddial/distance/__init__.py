"""An engine on another computer: the same commands and events over a narrow, secure link."""
