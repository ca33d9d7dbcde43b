# Stand-ins as real servers: one engine behind our HTTP contract, with a queue,
# credit, a rate limit and a slow first call; or behind the Open Inference
# Protocol.

#' Stand-in engines as servers
#'
#' Starts stand-in engines on this machine, each in a process of its own, so that
#' everything can be tried over real connections. `sprenn standins` does the same
#' until it is stopped.
#'
#' @param which Which ones: `"bracken"`, `"quince"` and `"yarrow"` follow the HTTP contract,
#'   `"sorrel"` speaks the Open Inference Protocol, and so do the judges `"heron"` and `"plover"`.
#'   `"madder"` and `"burdock"` have interfaces of their own, as hosted services do; burdock's
#'   pictures are fetched from another host, on the port after its own.
#'   A name may come with a port: `c(bracken = 8461)`; otherwise a free one is taken.
#' @param faults Faults by name of the stand-in, such as
#'   `c(bracken = "truncated@3 busy:0.1")`: at the third call, at a tenth of the
#'   calls. Known are `r paste(c(fault_words, wire_fault_words), collapse = ", ")`.
#' @param seed The seed of random faults.
#' @param credit The credit of bracken's account.
#' @param seconds,at_once Seconds that bracken's or burdock's queue takes for a picture, and how
#'   many it makes at once; its own pace if `NULL`.
#' @param per_call,call_price How many seeds a call to bracken, quince or yarrow may name, and what
#'   each call costs besides its pictures.
#' @param key The key that clients have to send, or `NULL`.
#' @param standins The result of `start_standins()`.
#' @return `start_standins()` returns an object of class `sprenn_standins`: a
#'   list with `addresses` and `ledgers` (JSON files of what was paid under which
#'   key), by name.
#' @section Errors: `sprenn_error_standins` for an unknown name or fault, a port in use, a missing
#'   package (plumber and webutils are needed), or a server that does not start.
#' @family stand-ins and the command line
#' @export
#' @examples
#' \donttest{
#' running <- start_standins("sorrel")
#' running$addresses
#' stop_standins(running)
#' }
start_standins <- function(
  which = c("bracken", "sorrel", "quince"),
  faults = character(),
  seed = 1L,
  credit = 1000,
  key = NULL,
  seconds = NULL,
  at_once = NULL,
  per_call = 1L,
  call_price = 0
) {
  ports <- if (is.numeric(which)) {
    which
  } else {
    stats::setNames(rep(NA_real_, length(which)), which)
  }
  check_server_packages()
  stop_for_unserved(c(names(ports), names(faults)))
  chosen <- ports[!is.na(ports)]
  beside <- chosen[names(chosen) == "burdock"] + 1
  names(beside) <- rep("burdock's pictures", length(beside))
  stop_for_ports(c(chosen, beside))
  for (spec in faults) {
    read_faults(spec)
  }

  started <- list()
  ledgers <- character()
  done <- FALSE
  on.exit(
    if (!done) stop_standins(structure(list(processes = started), class = "sprenn_standins"))
  )
  addresses <- character()
  for (name in names(ports)) {
    apart <- if (name == "burdock") pictures_apart(ports[[name]])
    spec <- stats::na.omit(c(faults[name], ""))[1]
    words <- strsplit(trimws(spec), "[ ,]+")[[1]]
    on_wire <- sub("[@:].*", "", words) %in% wire_fault_words
    port <- if (is.na(ports[[name]])) httpuv::randomPort() else ports[[name]]
    inner <- if (any(on_wire)) httpuv::randomPort() else port
    ledgers[[name]] <- ledger <- tempfile("ledger-", fileext = ".json")
    started[[name]] <- start_apart(
      "serve_standin",
      list(
        name = name,
        port = inner,
        faults = paste(words[!on_wire], collapse = " "),
        seed = seed,
        credit = credit,
        key = key,
        ledger = ledger,
        seconds = seconds,
        at_once = at_once,
        per_call = per_call,
        call_price = call_price,
        pictures = apart[c("folder", "host", "secret")]
      )
    )
    if (any(on_wire)) {
      wait_for_server(started[[name]], inner)
      started[[paste0(name, "-wire")]] <- start_wire(port, inner, words[on_wire], seed)
    }

    addresses[[name]] <- paste0("http://127.0.0.1:", port)
    if (!is.null(apart)) {
      started[["burdock-pictures"]] <- start_apart(
        "serve_burdock_pictures",
        apart[c("port", "folder", "secret")]
      )
      addresses[["burdock-pictures"]] <- apart$host
    }
  }

  for (name in names(started)) {
    wait_for_server(
      started[[name]],
      as.numeric(sub(".*:", "", addresses[[sub("-wire$", "", name)]]))
    )
  }

  done <- TRUE
  structure(
    list(addresses = addresses, ledgers = ledgers, processes = started),
    class = "sprenn_standins"
  )
}

stop_for_unserved <- function(names) {
  unknown <- setdiff(names, served_standins)
  if (length(unknown)) {
    stop_sprenn("standins", c(
      paste0("There is no stand-in server ", paste(unknown, collapse = ", "), "."),
      i = paste0("Available: ", paste(served_standins, collapse = ", "), ".")
    ))
  }
}

# A wire at a port that breaks as asked for, in front of a server at another one.
start_wire <- function(port, inner, words, seed) {
  start_apart(
    "serve_wire",
    list(
      port = port,
      target = paste0("http://127.0.0.1:", inner),
      spec = paste(words, collapse = " "),
      seed = seed
    )
  )
}

# The second host of burdock, on the port after its own.
pictures_apart <- function(port) {
  port <- if (is.na(port)) httpuv::randomPort() else port + 1
  list(
    port = port,
    folder = tempfile("burdock-"),
    host = paste0("http://127.0.0.1:", port),
    secret = random_name()
  )
}

# The servers' own needs: nothing else in the package uses these.
check_server_packages <- function() {
  needed <- c("plumber", "webutils")
  missing <- needed[!vapply(needed, requireNamespace, NA, quietly = TRUE)]
  if (length(missing)) {
    stop_sprenn("standins", c(
      paste0("Stand-in servers need the R package ", paste(missing, collapse = " and "), "."),
      i = paste0("install.packages(\"", missing, "\")")
    ))
  }
}

stop_for_ports <- function(ports) {
  wrong <- ports[!ports %in% 1:65535]
  if (length(wrong)) {
    stop_sprenn(
      "standins",
      paste0("A port is a whole number from 1 to 65535, not ", format(wrong[1]), ".")
    )
  }

  # Whoever has a port already would answer in the stand-in's place.
  taken <- Filter(is_taken, ports)
  if (length(taken)) {
    stop_sprenn("standins", c(
      paste0("Port ", taken[1], ", wanted for ", names(taken)[1], ", is in use."),
      i = "Stop the other process, or choose another port."
    ))
  }
}

# A port that has just been given back may be held for a moment more.
port_patience <- 1

is_taken <- function(port) {
  began <- proc.time()[["elapsed"]]
  repeat {
    tried <- try(suppressWarnings(close(serverSocket(port))), silent = TRUE)
    if (!inherits(tried, "try-error")) {
      return(FALSE)
    }

    if (proc.time()[["elapsed"]] - began > port_patience) {
      return(TRUE)
    }

    Sys.sleep(0.05)
  }
}

served_standins <- c(
  "bracken", "sorrel", "quince", "yarrow", "madder", "burdock", "heron", "plover"
)

# Those with an interface of their own.
described_standins <- c("madder", "burdock")

#' @rdname start_standins
#' @export
stop_standins <- function(standins) {
  for (process in standins$processes) {
    process$kill_tree()
    process$wait(2000)
  }

  invisible()
}

#' @export
print.sprenn_standins <- function(x, ...) {
  width <- max(10, nchar(names(x$addresses)) + 2)
  writeLines(paste0(formatC(names(x$addresses), width = -width), x$addresses))
  invisible(x)
}

# A function of the package in an R of its own, that ends with this one.
start_apart <- function(what, arguments) {
  file <- tempfile("standin-", fileext = ".rds")
  saveRDS(list(what = what, arguments = arguments, paths = .libPaths()), file)
  code <- paste0(
    "given <- readRDS('",
    file,
    "'); .libPaths(given$paths); do.call(getFromNamespace(given$what, 'sprenn'), given$arguments)"
  )
  processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-save", "--no-restore", "--no-init-file", "--no-environ", "-e", code),
    supervise = TRUE,
    cleanup_tree = TRUE,
    stdout = NULL,
    stderr = sub("rds$", "log", file)
  )
}

wait_for_server <- function(process, port, seconds = 60) {
  began <- proc.time()[["elapsed"]]
  while (proc.time()[["elapsed"]] - began < seconds) {
    if (!process$is_alive()) {
      said <- utils::tail(readLines(process$get_error_file(), warn = FALSE), 3)
      stop_sprenn("standins", c(
        "A stand-in server did not start.",
        x = paste(said, collapse = " ")
      ))
    }

    there <- tryCatch(
      {
        suppressWarnings(close(socketConnection("127.0.0.1", port, timeout = 1)))
        TRUE
      },
      error = function(e) FALSE
    )
    if (there) {
      return(invisible())
    }

    Sys.sleep(0.05)
  }

  stop_sprenn("standins", paste0("A stand-in server did not answer within ", seconds, " s."))
}

serve_standin <- function(
  name,
  port,
  faults = "",
  seed = 1L,
  credit = 1000,
  key = NULL,
  ledger = tempfile(),
  seconds = NULL,
  at_once = NULL,
  per_call = 1L,
  call_price = 0,
  pictures = NULL
) {
  if (name %in% described_standins) {
    office <- Office$new(
      credit,
      read_faults(faults, seed),
      ledger,
      hosted = FALSE,
      pace = seconds %||% 0.05,
      desks = at_once %||% 1
    )
    return(serve_service(name, office, pictures, port, key))
  }

  if (name %in% c("heron", "plover")) {
    return(serve_router(
      judge_router(if (name == "heron") standin_heron() else standin_plover()),
      port,
      key
    ))
  }

  engine <- with_faults(
    switch(name,
      bracken = standin_bracken(),
      sorrel = standin_sorrel(),
      quince = standin_quince(),
      yarrow = standin_yarrow()
    ),
    faults,
    seed,
    beside = name != "sorrel"
  )
  if (name == "bracken") {
    engine$about$at_once <- at_once %||% engine$about$at_once
    engine$about$seconds <- seconds %||% engine$about$seconds
  }

  engine$about$per_call <- per_call
  engine$about$call_price <- call_price

  router <- if (name == "sorrel") {
    inference_router(engine)
  } else {
    contract_router(
      engine,
      Office$new(
        credit,
        read_faults(faults, seed),
        ledger,
        hosted = name == "bracken",
        pace = seconds %||% 0.05,
        desks = at_once %||% 1
      )
    )
  }
  serve_router(router, port, key)
}

# A service with an interface of its own.
serve_service <- function(name, office, pictures, port, key) {
  router <- if (name == "madder") {
    madder_router(standin_madder(), office, key)
  } else {
    store <- BurdockStore$new(pictures$folder, pictures$host, pictures$secret)
    burdock_router(standin_burdock(), office, store)
  }
  serve_router(router, port, if (name == "burdock") key)
}

serve_router <- function(router, port, key) {
  router <- plumber::pr_set_debug(plumber::pr_set_docs(router, FALSE), FALSE)
  router <- plumber::pr_filter(router, "key", function(req, res) {
    if (is.null(key) || identical(req$HTTP_AUTHORIZATION, paste("Bearer", key))) {
      plumber::forward()
    } else {
      say_problem(
        res,
        401,
        "The key is missing or wrong.",
        paste("It came as:", req$HTTP_AUTHORIZATION)
      )
    }
  })
  plumber::pr_run(router, host = "127.0.0.1", port = port, quiet = TRUE)
}
