"""Plugs and switches that a hand moves: the request with its picture, and the list of shared sockets."""
