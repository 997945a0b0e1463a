"""The demo jobs, a month of history, and the example without a screen."""
