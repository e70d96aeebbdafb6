"""Every band at a glance: is it reachable, true and clean, and what is to be done next."""
