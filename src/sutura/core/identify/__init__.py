"""Which device is on the counter, by whatever can be read from it: label, IMEI, bars, panel number, EDID."""
