"""Who has the receiver: jobs, the table of who goes with whom, leases, and the scheduler that grants and ends them."""
