"""Compiled loops: arrays in, arrays out, one self-contained file each. The rules for them stand in
docs/kernels.md.
"""
