"""What the person is doing now: observable state and what can be done with it. No window."""
