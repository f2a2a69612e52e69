"""The proof: the function list against the baseline, and what the device under test says of itself."""
