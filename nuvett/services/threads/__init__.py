"""Things that are followed through a series: pointed at, grown, measured, shown."""
