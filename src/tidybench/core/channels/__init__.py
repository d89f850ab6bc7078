"""From fields to values that can be trusted: units, scaling, curves, zero, filters, limits, calculated channels."""
