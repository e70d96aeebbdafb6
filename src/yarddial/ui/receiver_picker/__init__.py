"""Choice of the device for a receiver of the yard."""
