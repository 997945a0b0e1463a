"""From touches to features: what is measured, how, and what least squares make of it."""
