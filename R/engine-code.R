# Engines and judges that are R code: what a file or a call gives.

# What `call` (package::function) or `file` (its last value) gives.
code_value <- function(wanted, folder) {
  if (!is.null(wanted$call)) {
    parts <- strsplit(wanted$call, "::", fixed = TRUE)[[1]]
    if (length(parts) != 2) {
      stop(quoted(wanted$call))
    }

    return(getExportedValue(parts[1], parts[2])())
  }

  at <- resolve_path(wanted$file, folder)
  if (!is.null(at$wrong)) {
    stop(quoted(wanted$file), ", ", at$wrong)
  }

  if (!file.exists(at$path)) {
    stop(quoted(wanted$file), ", no such file")
  }

  value_of_file(at$path)
}

# How an engine is built in another process: its part of lineup.yml, and the files of
# the trial that this names; a changed file is another engine.
engine_plan <- function(wanted, name, folder) {
  files <- c(wanted$file, files_of_command(wanted$command, folder))
  list(
    wanted = wanted,
    name = name,
    folder = folder,
    files = files,
    code = vapply(read_named(folder, files), sha256_of, "")
  )
}
