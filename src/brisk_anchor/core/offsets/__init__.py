"""From features to work offsets: rules, chains, rotated offsets, checks, proofs."""
