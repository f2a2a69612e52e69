"""Stand-ins for outside devices: product code, with faults that can be switched on."""
