"""What is wrong with a yard as it is put together: connectors, supplies, transmit power, ranges, care."""
