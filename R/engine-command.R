# Engines that are programs: `PROGRAM ... make FOLDER` reads request.json and the pictures in
# FOLDER and writes picture.png (or .jpg, .webp) there and, if it has more to say, result.json.
# With `serve: lines` it stays loaded instead (engine-serve.R). docs/engines.md has the details.
# Either is a conversation whose answers are looked for, so that several can be at work at once.

command_engine <- function(wanted, name, folder) {
  converse <- if (is.null(wanted$serve)) {
    function(request) begin_program(request, wanted, folder)
  } else {
    serving <- Serving$new(wanted, folder)
    function(request) serving$begin(request)
  }
  built <- conversing_engine(
    about_from_list(wanted$about, name, "none"),
    converse,
    kind = "command",
    secrets = as.character(unlist(wanted$env))
  )
  if (!is.null(wanted$serve)) {
    built$close <- function() serving$close()
  }

  built
}

# How long a program may take for a picture, in seconds.
seconds_of_program <- function(wanted) wanted$seconds %||% 120

# Kinds of failure by a program's exit status.
exit_kinds <- c(
  `10` = "refused",
  `11` = "out_of_credit",
  `12` = "busy",
  `13` = "unreachable",
  `14` = "bad_request"
)

# One picture, by a program of its own.
begin_program <- function(request, wanted, folder) {
  place <- tempfile("sprenn-command-")
  dir.create(place)
  begun <- FALSE
  on.exit(if (!begun) unlink(place, recursive = TRUE))
  write_request(request, place)
  logs <- file.path(place, c("out.log", "err.log"))
  process <- start_program(wanted, folder, c("make", place), stdout = logs[1], stderr = logs[2])
  began <- clock()
  watch <- use_watch(process, wanted$memory_gb)
  begun <- TRUE
  list(
    answer = new_awaited(
      look = function() {
        how_it_ended(process, place, began + seconds_of_program(wanted), watch)
      },
      stop = function() {
        end_process(process)
        unlink(place, recursive = TRUE)
      }
    ),
    then = function(ended) result_of_program(ended, process, wanted, place)
  )
}

# Starts a program with the part of this process's environment that it needs.
start_program <- function(wanted, folder, arguments, ...) {
  words <- unlist(wanted$command)
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
  tryCatch(
    processx::process$new(
      find_program(words[1], folder),
      c(words[-1], arguments),
      wd = folder,
      env = values[!duplicated(names(values))],
      cleanup_tree = TRUE,
      ...
    ),
    error = function(e) {
      raise_failure(
        "unreachable",
        paste0("The program ", words[1], " can't be started (", one_line(e), ")."),
        lasting = TRUE
      )
    }
  )
}

most_written <- 256e6

# NULL while a program is at work; then how that ended: "done", "late", or that it took too "much"
# disk or "memory".
how_it_ended <- function(process, place, due, watch) {
  if (!process$is_alive()) {
    return("done")
  }

  if (clock() > due) {
    return("late")
  }

  watch(place)
}

# Returns a function that says whether a program has written too "much" into its folder, or it and
# what it has started use more "memory" than they may; NULL if neither. It looks once a second,
# since looking costs some milliseconds.
use_watch <- function(process, most_gb) {
  takes_too_much <- memory_watch(process, most_gb)
  looked <- -Inf
  function(place) {
    if (clock() - looked < 1) {
      return(NULL)
    }

    looked <<- clock()
    written <- sum(file.size(list.files(place, full.names = TRUE)), na.rm = TRUE)
    if (written > most_written) "much" else if (takes_too_much()) "memory"
  }
}

# Returns a function that says whether a process and those that it has started use more memory
# than they may, and looks once a second as well.
memory_watch <- function(process, most_gb) {
  looked <- -Inf
  function() {
    if (is.null(most_gb) || clock() - looked < 1) {
      return(FALSE)
    }

    looked <<- clock()
    used <- tryCatch(
      {
        own <- process$as_ps_handle()
        all <- c(list(own), ps::ps_children(own, recursive = TRUE))
        sum(vapply(all, resident_memory, 0))
      },
      error = function(e) 0
    )
    used > 1e9 * most_gb
  }
}

# A process can end while it is looked at.
resident_memory <- function(process) {
  tryCatch(ps::ps_memory_info(process)[["rss"]], error = function(e) 0)
}

too_much_memory <- function(wanted) {
  engine_failure(
    "bad_answer",
    paste0(
      unlist(wanted$command)[1], " used more than ", format(wanted$memory_gb),
      " GB of memory and was ended."
    )
  )
}

# The picture that a program has left in its folder, or its failure.
result_of_program <- function(ended, process, wanted, place) {
  program <- unlist(wanted$command)[1]
  last <- utils::tail(
    strsplit(read_log(file.path(place, "err.log")), "\n", fixed = TRUE)[[1]],
    1
  )
  said <- if (length(last) && nzchar(trimws(last))) paste0(" It said: ", trimws(last))
  if (ended == "late") {
    engine_failure(
      "timed_out",
      paste0(
        program, " was not done after ", format(seconds_of_program(wanted)),
        " s and was ended, with what it had started.", said
      )
    )
  }

  if (ended == "memory") {
    too_much_memory(wanted)
  }

  if (ended == "much") {
    engine_failure(
      "bad_answer",
      paste0(program, " wrote more than ", show_size(most_written), " and was ended.")
    )
  }

  status <- process$get_exit_status()
  result <- read_result_file(file.path(place, "result.json"))
  if (status != 0) {
    kind <- exit_kinds[as.character(status)]
    engine_failure(
      if (is.na(kind)) "bad_answer" else kind[[1]],
      paste0(program, " ended with status ", status, ".", said),
      null_for_na(as_number(result$retry_after))
    )
  }

  result_in(place, result, paste0(program, " ended well but left"), said)
}

# The one picture in a folder, with what the program says of it. `but_left` begins the message if
# there is none.
result_in <- function(place, result, but_left, said = NULL) {
  pictures <- Sys.glob(
    file.path(place, c("picture.png", "picture.jpg", "picture.jpeg", "picture.webp"))
  )
  if (length(pictures) != 1) {
    engine_failure(
      "bad_answer",
      paste0(
        but_left, " ",
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
    # Some are those of another package.
    mget(getNamespaceExports("sprenn"), asNamespace("sprenn"), inherits = TRUE),
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
