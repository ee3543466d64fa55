"""Numba kernels: they only compute. Validation and documentation live in the modules that call them."""
