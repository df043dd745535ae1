"""A compiled program with memory and a clock. NumPy and wasmtime are read with `machine` and `trace` only."""
