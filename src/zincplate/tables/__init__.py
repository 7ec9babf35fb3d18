"""What a plan becomes: matrices and tables for the kernels."""
