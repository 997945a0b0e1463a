"""Numbers, frames, touches, features, datums, offsets and checks: no screen, file, clock or SQL in here."""
