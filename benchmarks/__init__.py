"""Figures to report. `make bench` prints them; ratios are against a baseline run in the same minute."""
