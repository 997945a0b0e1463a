"""One job on one machine: what is measured and known, its offsets, its book and its tools."""
