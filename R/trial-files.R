# What is remembered about the files of a trial, and the files that a table brings along.

# The known facts about pictures in these states: a list like `find` gives, with NULL where
# nothing is known. The facts are kept beside a trial's runs, and are valid for as long as a file
# has the same size and time of change.
known_facts <- function(states, folder) {
  kept <- read_facts_file(folder)
  at <- match(states, names(kept))
  known <- rep(list(NULL), length(states))
  known[!is.na(at)] <- lapply(kept[at[!is.na(at)]], function(packed) {
    facts <- tryCatch(lapply(packed, unpack_values), error = function(e) NULL)
    if (is.numeric(facts$size) && is_text(facts$hash)) {
      list(facts = facts)
    }
  })
  known
}

# Remembers the facts of files by their states before they were examined. A trial without runs is
# left unchanged.
keep_facts <- function(states, found, folder) {
  new <- which(!is.na(states) & !vapply(lapply(found, `[[`, "facts"), is.null, NA))
  if (length(new) == 0 || !dir.exists(file.path(folder, "runs"))) {
    return(invisible())
  }

  packed <- lapply(found[new], function(one) lapply(one$facts, pack_values))
  names(packed) <- states[new]
  # A file has one state at a time.
  path_in <- function(states) sub("^[^ ]* [^ ]* ", "", states)
  before <- read_facts_file(folder)
  before <- before[!path_in(names(before)) %in% path_in(names(packed))]
  file <- file.path(folder, facts_file)
  # If nothing can be written, files are examined again next time.
  try(
    write_lines(to_json(list(version = facts_version, files = c(before, packed))), file),
    silent = TRUE
  )
}

read_facts_file <- function(folder) {
  kept <- tryCatch(
    jsonlite::read_json(file.path(folder, facts_file)),
    error = function(e) NULL,
    warning = function(w) NULL
  )
  if (identical(kept$version, facts_version) && is.list(kept$files)) kept$files else list()
}

# Raise this whenever the result of examine_file() changes.
facts_version <- 2L

facts_file <- "runs/files.json"

# Files by size, time of change, use and path. NA for what must be looked at every time: keypoints,
# paths that leave the trial, and files that have only just changed, as they may change
# again within the same tick of their clock.
file_states <- function(named, folder) {
  inside <- vapply(
    named$path,
    function(path) is.null(resolve_path(path, folder)$wrong),
    NA,
    USE.NAMES = FALSE
  )
  facts <- file.info(file.path(folder, named$path), extra_cols = FALSE)
  settled <- (facts$mtime < Sys.time() - 2) %in% TRUE
  ifelse(
    inside & settled & named$role != "keypoints",
    paste(facts$size, sprintf("%.6f", as.numeric(facts$mtime)), named$role, named$path),
    NA_character_
  )
}

# A plain vector, or NULL, such that not a bit of it is lost in JSON.
pack_values <- function(x) {
  if (is.null(x)) {
    return(list(type = "NULL"))
  }

  values <- if (is.double(x)) sprintf("%a", x) else x
  list(type = typeof(x), names = I(as.character(names(x))), values = I(unname(values)))
}

unpack_values <- function(packed) {
  if (packed$type == "NULL") {
    return(NULL)
  }

  x <- as.vector(unlist(packed$values), packed$type)
  if (length(packed$names) > 0) {
    names(x) <- unlist(packed$names)
  }

  x
}

# The files that a table names, each copied once for each use, and what is wrong with them.
# `problem(row, column, wrong, wanted)` makes a problem.
TakenFiles <- R6::R6Class(
  "sprenn_taken",
  cloneable = FALSE,
  public = list(
    initialize = function(table_file, problem) {
      private$table_file <- table_file
      private$problem <- problem
    },

    # Where a file will lie in the trial.
    take = function(path, row, column) {
      source <- if (grepl("^([/~]|[A-Za-z]:)", path)) {
        path.expand(path)
      } else {
        file.path(dirname(private$table_file), path)
      }
      folder <- folder_of_column(column)
      known <- Find(
        function(one) one$from == source && dirname(one$to) == folder,
        private$.files
      )
      if (!is.null(known)) {
        return(known$to)
      }

      keypoints <- grepl("keypoints$", column)
      wrong <- wrong_with_file(source, keypoints)
      if (!is.null(wrong)) {
        private$add_problem(row, column, paste0(quoted(path), ", ", wrong))
        return(path)
      }

      private$add(source, folder, keypoints)
    }
  ),
  active = list(
    # `from` and `to` of each.
    files = function() private$.files,
    problems = function() private$.problems
  ),
  private = list(
    table_file = NULL,
    problem = NULL,
    .files = list(),
    .problems = list(),

    add = function(source, folder, keypoints) {
      ending <- if (keypoints) "json" else picture_formats[[file_kind(read_bytes(source))]]
      names <- vapply(private$.files, function(one) sub("\\.[^.]*$", "", one$to), "")
      stem <- file.path(folder, plain_names(basename(source)))
      stem <- utils::tail(make.unique(c(names, stem), sep = "-"), 1)
      to <- paste0(stem, ".", ending)
      private$.files <- c(private$.files, list(list(from = source, to = to)))
      to
    },

    add_problem = function(row, column, wrong) {
      wanted <- "a picture, its path given from the table's folder"
      private$.problems <- c(
        private$.problems,
        list(private$problem(row, column, wrong, wanted))
      )
    }
  )
)

folder_of_column <- function(column) {
  if (column == "look") {
    "looks"
  } else if (startsWith(column, "guides")) {
    "guides"
  } else if (grepl("mask", column)) {
    "masks"
  } else {
    "references"
  }
}

# The problem with a picture or a file of keypoints; NULL if there is none.
wrong_with_file <- function(path, keypoints) {
  tryCatch(
    {
      if (keypoints) read_keypoints(path) else open_picture(path)
      NULL
    },
    sprenn_error_picture = function(e) sub("^found ", "", e$details[["x"]])
  )
}
