"""Methods of calibration besides measuring a carrier: one page each, and their sheet."""
