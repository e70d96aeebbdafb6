"""Receivers driven by the kernel through its interface for software-defined receivers, `/dev/swradioN`."""
