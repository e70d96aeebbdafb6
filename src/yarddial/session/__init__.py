"""The session: observable state of the program and the actions on it. It knows no window."""
