# Engines that are programs: `PROGRAM ... make FOLDER` reads request.json and the pictures in
# FOLDER and writes picture.png (or .jpg, .webp) there and, if it has more to say, result.json.
# docs/engines.md has the details.

command_engine <- function(wanted, name, folder) {
  engine(
    about_from_list(wanted$about, name, "none"),
    function(request) run_command(request, wanted, folder),
    kind = "command",
    secrets = as.character(unlist(wanted$env))
  )
}

# Kinds of failure by a program's exit status.
exit_kinds <- c(
  `10` = "refused",
  `11` = "out_of_credit",
  `12` = "busy",
  `13` = "unreachable",
  `14` = "bad_request"
)

run_command <- function(request, wanted, folder) {
  place <- tempfile("sprenn-command-")
  dir.create(place)
  on.exit(unlink(place, recursive = TRUE))
  write_request(request, place)
  words <- unlist(wanted$command)
  program <- find_program(words[1], folder)
  seconds <- wanted$seconds %||% 120
  # The program gets only the part of this process's environment that it needs.
  wanted_values <- as.character(unlist(wanted$env))
  values <- Sys.getenv(
    c(
      "PATH",
      "HOME",
      "LANG",
      "LC_ALL",
      "TMPDIR",
      "R_LIBS",
      "R_LIBS_SITE",
      "R_LIBS_USER",
      wanted_values
    ),
    NA,
    names = TRUE
  )
  unset <- wanted_values[is.na(values[wanted_values])]
  if (length(unset)) {
    raise_failure(
      "bad_request",
      paste0(
        "The environment variable ", unset[1],
        ", which the program is to be given, is not set."
      ),
      lasting = TRUE
    )
  }

  values <- c(values[!is.na(values)], own_start_files())
  logs <- file.path(place, c("out.log", "err.log"))
  process <- tryCatch(
    processx::process$new(
      program,
      c(words[-1], "make", place),
      stdout = logs[1],
      stderr = logs[2],
      wd = folder,
      env = values[!duplicated(names(values))],
      cleanup_tree = TRUE
    ),
    error = function(e) {
      raise_failure(
        "unreachable",
        paste0("The program ", words[1], " can't be started (", one_line(e), ")."),
        lasting = TRUE
      )
    }
  )
  on.exit(end_process(process), add = TRUE, after = FALSE)
  ended <- wait_for_process(process, seconds, place)
  last <- utils::tail(strsplit(read_log(logs[2]), "\n", fixed = TRUE)[[1]], 1)
  said <- if (length(last) && nzchar(trimws(last))) paste0(" It said: ", trimws(last))
  if (ended == "late") {
    engine_failure(
      "timed_out",
      paste0(
        words[1], " was not done after ", format(seconds),
        " s and was ended, with what it had started.", said
      )
    )
  }

  if (ended == "much") {
    engine_failure(
      "bad_answer",
      paste0(words[1], " wrote more than ", show_size(most_written), " and was ended.")
    )
  }

  status <- process$get_exit_status()
  result <- read_result_file(file.path(place, "result.json"))
  if (status != 0) {
    kind <- exit_kinds[as.character(status)]
    engine_failure(
      if (is.na(kind)) "bad_answer" else kind[[1]],
      paste0(words[1], " ended with status ", status, ".", said),
      null_for_na(as_number(result$retry_after))
    )
  }

  pictures <- Sys.glob(
    file.path(place, c("picture.png", "picture.jpg", "picture.jpeg", "picture.webp"))
  )
  if (length(pictures) != 1) {
    engine_failure(
      "bad_answer",
      paste0(
        words[1], " ended well but left ",
        if (length(pictures)) "several pictures" else "no picture.png", " behind.", said
      )
    )
  }

  engine_result(
    read_bytes(pictures),
    cost = result$cost %||% NA,
    seed = as.integer(as_number(result$seed)),
    says = as.list(result$says)
  )
}

# The request and its pictures in a folder.
write_request <- function(request, place) {
  parts <- request_parts(request)
  for (name in names(parts)) {
    writeBin(
      parts[[name]]$bytes,
      file.path(place, if (name == "request") "request.json" else paste0(name, ".png"))
    )
  }
}

# A path is relative to the trial; a plain name is looked up on the PATH.
find_program <- function(word, folder) {
  if (!grepl("/", word, fixed = TRUE)) {
    return(word)
  }

  if (startsWith(word, "/")) word else file.path(folder, word)
}

most_written <- 256e6

# Waits until it ends, is late, or has written too much.
wait_for_process <- function(process, seconds, place) {
  began <- clock()
  while (process$is_alive()) {
    left <- seconds - (clock() - began)
    if (left <= 0) {
      return("late")
    }

    process$wait(min(1000 * left, 250))
    if (sum(file.size(list.files(place, full.names = TRUE)), na.rm = TRUE) > most_written) {
      return("much")
    }
  }

  "done"
}

# Stops a program and all processes that it has started.
end_process <- function(process) {
  try(process$kill_tree(), silent = TRUE)
  try(process$kill(), silent = TRUE)
}

read_log <- function(file, most = 2000) {
  size <- file.size(file)
  if (is.na(size) || size == 0) {
    return("")
  }

  connection <- file(file, "rb")
  on.exit(close(connection))
  if (size > most) {
    seek(connection, size - most)
  }

  bytes <- readBin(connection, "raw", most)
  iconv(rawToChar(bytes[bytes != 0]), "UTF-8", "UTF-8", sub = "?")
}

read_result_file <- function(file) {
  if (!file.exists(file)) {
    return(list())
  }

  result <- if (file.size(file) < 1e6) {
    bytes <- read_bytes(file)
    tryCatch(read_json_text(rawToChar(bytes[bytes != 0])), error = function(e) NULL)
  }
  if (!is.list(result)) {
    engine_failure("bad_answer", "The result.json that was left behind is not JSON.")
  }

  result
}

# Engines and judges that are R code: what a file or a call gives.

# The value of `call` (package::function), or the last value of `file`.
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

# The plan for building an engine in another process: its part of lineup.yml, and the trial's
# files that this names; a changed file makes another engine.
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

# The last value of an R file in a trial. The file can use Sprenn's functions whether or not the
# package is attached.
value_of_file <- function(path) {
  at_hand <- list2env(
    mget(getNamespaceExports("sprenn"), asNamespace("sprenn")),
    parent = globalenv()
  )
  source(path, local = new.env(parent = at_hand))$value
}

files_of_command <- function(command, folder) {
  folder <- normalizePath(folder, winslash = "/")
  Filter(
    function(word) {
      path <- resolve_path(word, folder)$path
      !is.null(path) && utils::file_test("-f", path)
    },
    as.character(unlist(command))
  )
}
