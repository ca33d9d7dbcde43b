# Judges that come from the package registries and run on this machine: servers in inst/judges, each
# with what it needs in the user's data folder. R only speaks the Open Inference Protocol with them.

# What can be installed. `modules` is whether it needs packages of npm, in the versions and with the
# hashes of its package-lock.json; `programs` are what it needs beside Node.
local_judges <- list(
  people = list(
    version = "1-3.3.6",
    finds = paste(
      "people, 80 kinds of things, faces with their expression, which way they look and how alike",
      "they are, and joints"
    ),
    size = "about 80 MB on disk, up to 1 GB of memory while it runs",
    licence = "MIT (@vladmandic/human, with its nets), Apache-2.0 (TensorFlow.js)",
    tells = c("things", "faces", "figures"),
    modules = TRUE,
    programs = character(),
    edge = 640,
    batch = 2,
    at_once = 1
  ),
  letters = list(
    version = "3",
    finds = "lettering, where it is and what it says, in Latin script",
    size = "about 8 MB on disk",
    licence = "Apache-2.0 (tesseract, with its data for English)",
    tells = "words",
    modules = FALSE,
    programs = "tesseract",
    edge = 1600,
    batch = 1,
    # One process of the program each.
    at_once = 2
  )
)

# Node's version from which on the servers run, and the packages of Debian that have what is needed.
least_node <- "18.3.0"
debian_of <- c(node = "nodejs", npm = "npm", tesseract = "tesseract-ocr tesseract-ocr-eng")

local_folder <- function(name) {
  place <- paste0(name, "-", local_judges[[name]]$version)
  file.path(tools::R_user_dir("sprenn", "data"), "judges", place)
}

# What a local judge lacks on this machine, in words; NULL if it can be started.
lacks_locally <- function(name, folder = local_folder(name)) {
  about <- local_judges[[name]]
  node <- node_version()
  programs <- about$programs[!nzchar(Sys.which(about$programs))]
  if (is.na(node)) {
    paste0("it needs Node.js, which is not on this machine (Debian: ", debian_of[["node"]], ")")
  } else if (utils::compareVersion(node, least_node) < 0) {
    paste0("it needs Node.js ", least_node, " or later; this machine has ", node)
  } else if (length(programs)) {
    paste0(
      "it needs ", shorten_list(programs), ", which is not on this machine (Debian: ",
      debian_of[[programs[1]]], ")"
    )
  } else if (about$modules && !file.exists(file.path(folder, "node_modules"))) {
    others <- Sys.glob(file.path(dirname(folder), paste0(name, "-*")))
    paste0(
      if (length(others)) "it is installed in another version" else "it is not installed",
      "; `sprenn judges --install ", name, "` installs ", about$version
    )
  }
}

node_version <- function() {
  if (!nzchar(Sys.which("node"))) {
    return(NA_character_)
  }

  said <- tryCatch(
    processx::run("node", "--version", timeout = 20, error_on_status = FALSE)$stdout,
    error = function(e) ""
  )
  sub("^v", "", trimws(said))
}

# Starting takes as long as its nets take to load.
seconds_to_start <- 120
# A server that ended this often has another fault than one bad picture.
most_starts <- 4

# One local server, started when its address is asked for, and again if it has ended.
LocalServer <- R6::R6Class(
  "sprenn_local_server",
  cloneable = FALSE,
  public = list(
    # `folder` has what it needs.
    initialize = function(name, folder = local_folder(name)) {
      private$name <- name
      private$folder <- folder
    },
    address = function() {
      if (!self$is_up()) {
        private$start()
      }

      paste0("http://127.0.0.1:", private$port)
    },
    is_up = function() !is.null(private$process) && private$process$is_alive(),

    # The next question starts it again.
    stop = function() {
      if (self$is_up()) {
        private$process$kill()
      }

      private$process <- NULL
      private$starts <- 0
    }
  ),
  private = list(
    name = NULL,
    folder = NULL,
    process = NULL,
    port = NULL,
    starts = 0,
    log = NULL,
    finalize = function() self$stop(),
    start = function() {
      lacking <- lacks_locally(private$name, private$folder)
      if (!is.null(lacking)) {
        engine_failure(
          "bad_request",
          paste0("The judge ", private$name, " can't start: ", lacking, ".")
        )
      }

      if (private$starts >= most_starts) {
        engine_failure(
          "bad_request",
          paste0(
            "The judge ", private$name, " ended ", most_starts, " times. It last said: ",
            private$last_words()
          )
        )
      }

      private$starts <- private$starts + 1
      private$log <- tempfile("judge-", fileext = ".log")
      # It ends when its standard input is closed, and so even if this process is killed.
      private$process <- processx::process$new(
        "node",
        c(
          system.file("judges", "serve.mjs", package = "sprenn"),
          private$name,
          "--modules", private$folder,
          "--with-parent"
        ),
        stdin = "|",
        stdout = "|",
        stderr = private$log
      )
      private$port <- private$wait_until_ready()
    },
    wait_until_ready = function() {
      began <- clock()
      said <- character()
      while (clock() - began < seconds_to_start) {
        private$process$poll_io(500)
        said <- c(said, private$process$read_output_lines())
        ready <- sub("^ready ", "", grep("^ready [0-9]+$", said, value = TRUE))
        if (length(ready)) {
          return(ready[1])
        }

        if (!private$process$is_alive()) {
          break
        }
      }

      private$process$kill()
      engine_failure(
        "bad_request",
        paste0("The judge ", private$name, " did not start. It said: ", private$last_words())
      )
    },

    # The last error that it wrote, or its last line.
    last_words = function() {
      lines <- if (file.exists(private$log)) readLines(private$log, warn = FALSE)
      lines <- trimws(lines[nzchar(trimws(lines))])
      errors <- sub("^.*?Error: ", "", grep("Error: ", lines, value = TRUE), perl = TRUE)
      cut_text(c(errors, rev(lines), "nothing")[1], 300)
    }
  )
)

local_judge <- function(wanted, name) {
  installed <- wanted$install %||% name
  about <- local_judges[[installed]]
  if (is.null(about)) {
    stop(
      quoted(installed), " can't be installed; there are ", shorten_list(names(local_judges)),
      call. = FALSE
    )
  }

  server <- LocalServer$new(installed)
  wanted$model <- installed
  wanted$kind <- "finding"
  wanted$binary <- TRUE
  wanted$edge <- wanted$edge %||% about$edge
  wanted$batch <- wanted$batch %||% about$batch
  wanted$at_once <- about$at_once
  wanted$seconds <- wanted$seconds %||% 300
  made <- inference_judge(wanted, name, server$address)
  made$tells <- about$tells
  made$close <- server$stop
  made$lacks <- function() lacks_locally(installed)
  made
}

#' Install judges that run on this machine
#'
#' Installs what the judges of the kind `local` need: `people` finds people, things, faces and
#' joints, `letters` finds lettering and reads it. Both are servers that run on Node.js;
#' `docs/judges.md` says how well they see. `list_local_judges()` says what there is, and what is
#' installed.
#'
#' @param names Names of the judges to install.
#' @param tell A function that is called with a line of text before each step.
#' @return `list_local_judges()`: a data frame with one row a judge: `judge`, `version`, `installed`
#'   (whether it can be started here), `lacks` (what it lacks, `NA` if nothing), `finds`, `size` and
#'   `licence`. `install_judges()`: the same, of those that were asked for, invisibly.
#' @section Where things go: Packages of npm go into the user's data folder of this package
#'   ([tools::R_user_dir()]), in pinned versions whose hashes are checked, without running any
#'   script of theirs. Programs (Node.js, tesseract) come from the system: as root on Debian they
#'   are installed from there; elsewhere the error says what to install.
#' @section Errors: `sprenn_error_argument` for an unknown name; `sprenn_error_install` if something
#'   can't be installed. What was installed before stays.
#' @family measures and evidence
#' @export
#' @examples
#' list_local_judges()[c("judge", "finds", "size")]
install_judges <- function(names, tell = message) {
  check_arguments(
    names = checkmate::check_character(names, any.missing = FALSE, min.len = 1),
    tell = checkmate::check_function(tell)
  )
  stop_for_unknown(names, base::names(local_judges), "Sprenn", "judge to install")
  for (name in unique(names)) {
    install_judge(name, tell)
  }

  found <- list_local_judges()
  invisible(found[match(unique(names), found$judge), ])
}

#' @rdname install_judges
#' @export
list_local_judges <- function() {
  rows <- lapply(names(local_judges), function(name) {
    about <- local_judges[[name]]
    lacks <- lacks_locally(name)
    new_table(
      version = about$version,
      installed = is.null(lacks),
      lacks = lacks %||% NA_character_,
      finds = about$finds,
      size = about$size,
      licence = about$licence,
      judge = name
    )
  })
  table <- do.call(rbind, rows)
  table[c("judge", setdiff(names(table), "judge"))]
}

install_judge <- function(name, tell) {
  about <- local_judges[[name]]
  tell(paste0(name, " ", about$version, " finds ", about$finds, "."))
  tell(paste0("  ", about$size, "; ", about$licence))
  need <- c("node", if (about$modules) "npm", about$programs)
  install_programs(need[!nzchar(Sys.which(need))], name, tell)
  # What is damaged is installed anew.
  if (about$modules && !is.null(why_not_started(name))) {
    install_modules(name, tell)
  }

  stop_unless_started(name)
  tell(paste0("  ", name, " is installed."))
}

# Starts a judge once, on what is in `folder`: NULL, or in words why it does not start.
why_not_started <- function(name, folder = local_folder(name)) {
  server <- LocalServer$new(name, folder)
  on.exit(server$stop())
  tryCatch(
    {
      server$address()
      NULL
    },
    sprenn_failure = conditionMessage
  )
}

stop_unless_started <- function(name, folder = local_folder(name)) {
  why <- why_not_started(name, folder)
  if (!is.null(why)) {
    stop_sprenn("install", c(paste0("The judge ", name, " can't be installed."), x = why))
  }
}

# Programs of the system: from Debian if this process may install them.
install_programs <- function(programs, name, tell) {
  if (length(programs) == 0) {
    return(invisible())
  }

  packages <- unlist(strsplit(debian_of[programs], " ", fixed = TRUE))
  by_hand <- paste("install", shorten_list(programs), "with your system's packages and try again")
  may <- nzchar(Sys.which("apt-get")) && identical(Sys.info()[["effective_user"]], "root")
  if (!may) {
    stop_sprenn(
      "install",
      c(
        paste0("The judge ", name, " needs ", shorten_list(programs), "."),
        i = paste0(by_hand, " (Debian: apt-get install ", paste(packages, collapse = " "), ").")
      )
    )
  }

  tell(paste0("  installing ", paste(packages, collapse = ", "), " from Debian"))
  done <- processx::run(
    "apt-get",
    c("install", "-y", "-q", "--no-install-recommends", packages),
    error_on_status = FALSE,
    env = c("current", DEBIAN_FRONTEND = "noninteractive")
  )
  if (done$status != 0) {
    stop_sprenn(
      "install",
      c(
        paste0("The judge ", name, " needs ", shorten_list(programs), ". It can't be installed."),
        x = cut_text(last_line(done$stderr), 300),
        i = by_hand
      )
    )
  }
}

# The packages are put together beside their place, started once, and moved there.
install_modules <- function(name, tell) {
  folder <- local_folder(name)
  part <- paste0(folder, "-part")
  unlink(part, recursive = TRUE)
  on.exit(unlink(part, recursive = TRUE))
  dir.create(part, recursive = TRUE, showWarnings = FALSE)
  from <- system.file("judges", name, package = "sprenn")
  file.copy(list.files(from, "^package.*json$", full.names = TRUE), part)
  tell(paste0("  installing its packages from npm into ", folder))
  done <- processx::run(
    "npm",
    c("ci", "--ignore-scripts", "--no-audit", "--no-fund", "--loglevel=error"),
    wd = part,
    error_on_status = FALSE
  )
  if (done$status != 0) {
    stop_sprenn(
      "install",
      c(
        paste0("The packages of the judge ", name, " can't be installed."),
        x = cut_text(last_line(done$stderr), 300),
        i = "npm says more in its log. Nothing was changed."
      )
    )
  }

  # Only people who develop these packages need the rest.
  unlink(list.files(part, "[.](map|d[.]ts)$", recursive = TRUE, full.names = TRUE))
  stop_unless_started(name, part)
  unlink(folder, recursive = TRUE)
  file.rename(part, folder)
}

last_line <- function(text) {
  lines <- trimws(strsplit(text, "\n", fixed = TRUE)[[1]])
  c(rev(lines[nzchar(lines)]), "no reason was given")[1]
}
