"""The domain model: frequencies, parts, routes and oscillators, and their effect on the dial. Plain Python, no
arrays.
"""
