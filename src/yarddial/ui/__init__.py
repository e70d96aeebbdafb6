"""The user interface: shows the session's state and passes on the person's actions."""
