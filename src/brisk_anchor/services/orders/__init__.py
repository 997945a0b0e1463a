"""Programs that were handed to a real control, and the reports that come back: kept in the job until they are taken."""
