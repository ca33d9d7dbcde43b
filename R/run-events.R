# The event log: one JSON object a line (JSON Lines) for everything that happens in
# a run, beside its database. It is for people and other programs to follow; nothing
# here reads it.

open_log <- function(store) {
  path <- file.path(store$folder, "events.jsonl")
  tryCatch(file(path, "ab"), error = function(e) {
    stop_sprenn("store", c(paste0("Can't write to ", path, "."), x = one_line(e)))
  })
}

# A log that can't be written is no reason to stop making pictures.
note_event <- function(works, event, job = NULL, ...) {
  more <- Filter(function(value) !is.null(value) && !is.na(value), list(...))
  if (!is.null(more$seconds)) {
    more$seconds <- round(more$seconds, 3)
  }

  line <- to_json(c(
    list(at = format(Sys.time(), "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC"), event = event),
    if (!is.null(job$lane)) list(engine = job$lane$name, try = works$tries[job$at]),
    if (!is.null(job)) as.list(job$take[c("take", "pipeline", "case", "seed")]),
    more
  ))
  try(
    {
      writeLines(enc2utf8(line), works$log, useBytes = TRUE)
      flush(works$log)
    },
    silent = TRUE
  )
}
