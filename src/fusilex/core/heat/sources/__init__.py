"""What gives heat: an oven's chamber, a plate, a jet of hot air, and what steers them."""
