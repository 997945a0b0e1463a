"""Tools of the hand and the shelf they stand on."""
