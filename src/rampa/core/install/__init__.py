"""An installation on a device: planned, filled, verified, repaired, taken back."""
