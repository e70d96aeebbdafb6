"""Allocation of the receiver: kinds of jobs, compatibility table, leases, and the scheduler."""
