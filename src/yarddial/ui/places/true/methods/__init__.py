"""Ways of truing the dial beside measuring a carrier: one page each, and the sheet that holds them."""
