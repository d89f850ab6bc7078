"""The small language of calculated channels: numbers with units, channels, arithmetic, conditions, windows of time.

Parsed by us, never evaluated as code; bounded in length, depth and memory. docs/formats/expressions.md describes it.
"""
