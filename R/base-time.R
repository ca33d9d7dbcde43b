# Time that passes, and the time of day.

# Seconds on a clock that nobody can set, to wait and to time by.
clock <- function() steady_seconds()

now_utc <- function() format(Sys.time(), "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
