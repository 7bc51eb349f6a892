"""From a start of the program to the first page; kernels compiled meanwhile."""
