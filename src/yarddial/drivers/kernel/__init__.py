"""Receivers that the kernel itself drives: its interface for software-defined receivers, `/dev/swradioN`."""
