# What a process elsewhere is sent to make or measure a take: it needs neither the
# trial's folder nor its store. What a case needs again and again, its kit, is sent
# once to each process and kept there.

# What is kept at hand, up to so many bytes; the oldest goes first, so that memory
# does not grow with the number of cases.
new_shelf <- function(room = 1.2e8) structure(new.env(), room = room)

keep <- function(where, name, code) {
  name <- paste0("=", name)
  if (is.null(where[[name]])) {
    assign(name, code, where)
    room <- attr(where, "room")
    if (!is.null(room)) {
      where$.sizes <- c(where$.sizes, stats::setNames(as.numeric(utils::object.size(where[[name]])), name))
      while (sum(where$.sizes) > room && length(where$.sizes) > 1) {
        rm(list = names(where$.sizes)[1], envir = where)
        where$.sizes <- where$.sizes[-1]
      }
    }
  }
  where[[name]]
}

# The part of a suite that measuring one case looks at, and its pictures' bytes
# where the process that will read it shares no disk with this one.
new_kit <- function(suite, case, carried = FALSE) {
  small <- suite[setdiff(names(suite), c("cases", "looks", "files"))]
  small$cases <- c(list(case), lapply(decoy_cases(suite, case), function(one) one[c("id", "reference")]))
  small$looks <- suite$looks[intersect(case$look, names(suite$looks))]
  texts <- unlist(list(small$cases, small$looks), use.names = FALSE)
  paths <- intersect(names(suite$files), texts)
  small$files <- suite$files[paths]
  list(suite = small, bytes = if (carried) lapply(stats::setNames(nm = paths), read_bytes))
}

# A kit where it arrives: pictures that came with it are laid down here.
unpack_kit <- function(kit) {
  if (is.null(kit$bytes)) {
    return(kit$suite)
  }
  place <- tempfile("sprenn-kit-")
  dir.create(place)
  moved <- stats::setNames(file.path(place, paste0(seq_along(kit$bytes), ".", tools::file_ext(names(kit$bytes)))), names(kit$bytes))
  Map(writeBin, kit$bytes, moved)
  suite <- kit$suite
  names(suite$files) <- moved[names(suite$files)]
  to_here <- function(x) {
    if (is.list(x)) {
      x[] <- lapply(x, to_here)
    } else if (is.character(x)) {
      here <- x %in% names(moved)
      x[here] <- moved[x[here]]
    }
    x
  }
  suite$cases <- to_here(suite$cases)
  suite$looks <- to_here(suite$looks)
  suite
}

# What this process was sent before, if it is one that works for another.
workshop <- new.env()

# Measures a take in a worker. "lacking" where its case is not known here yet.
score_elsewhere <- function(id, kit, bytes) {
  if (is.null(workshop$kits)) workshop$kits <- new_shelf(2e7)
  if (is.null(kit) && is.null(workshop$kits[[paste0("=", id)]])) {
    return("lacking")
  }
  known <- keep(workshop$kits, id, unpack_kit(kit))
  if (is.null(workshop$kept)) workshop$kept <- new_shelf(5e8)
  tryCatch(score_bytes(bytes, known$cases[[1]], known, workshop$kept), sprenn_error = identity)
}

# Makes a picture in a worker, by an engine that is built there once. Failures come
# back as values; so does it that the engine can't be built there.
make_elsewhere <- function(plan, request) {
  if (is.null(workshop$engines)) workshop$engines <- new_shelf(2e7)
  id <- hash_of(list(plan$wanted, plan$name, plan$code))
  engine <- tryCatch(keep(workshop$engines, id, rebuild_engine(plan)), error = identity)
  if (inherits(engine, "condition")) {
    return(structure(list(why = conditionMessage(engine)), class = "sprenn_unbuilt"))
  }
  tryCatch(make_picture(engine, request), sprenn_failure = function(e) structure(unclass(e)[c("message", "kind", "seconds", "cost", "retry_after")], class = class(e)))
}

# How an engine is built in another process: its part of lineup.yml, and the text
# of its file, as the trial's folder may not be there.
engine_plan <- function(wanted, name, folder) {
  list(wanted = wanted, name = name, folder = folder, code = if (!is.null(wanted$file)) readLines(resolve_path(wanted$file, folder)$path, encoding = "UTF-8"))
}

rebuild_engine <- function(plan) {
  if (!dir.exists(plan$folder)) {
    plan$folder <- tempfile("sprenn-engine-")
    dir.create(plan$folder)
    if (!is.null(plan$code)) {
      plan$wanted$file <- "engine.R"
      writeLines(plan$code, file.path(plan$folder, "engine.R"))
    }
  }
  build_engine(plan$wanted, plan$name, plan$folder)
}
