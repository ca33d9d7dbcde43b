# What another process is sent to make or measure a take: it needs no store. What a
# case needs again and again, its kit, is sent once to each process and kept there.

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

# The part of a suite that measuring one case looks at, which is first.
small_suite <- function(suite, case) {
  small <- suite[setdiff(names(suite), c("cases", "looks", "files"))]
  small$cases <- c(list(case), lapply(decoy_cases(suite, case), function(one) one[c("id", "reference")]))
  small$looks <- suite$looks[intersect(case$look, names(suite$looks))]
  texts <- unlist(list(small$cases, small$looks), use.names = FALSE)
  small$files <- suite$files[intersect(names(suite$files), texts)]
  small
}

# What this process was sent before, if it is one that works for another.
workshop <- new.env()

# Measures a take in a worker. "lacking" where its case is not known here yet.
score_elsewhere <- function(id, suite, bytes) {
  if (is.null(workshop$kits)) workshop$kits <- new_shelf(2e7)
  if (is.null(suite) && is.null(workshop$kits[[paste0("=", id)]])) {
    return("lacking")
  }
  known <- keep(workshop$kits, id, suite)
  if (is.null(workshop$kept)) workshop$kept <- new_shelf(5e8)
  tryCatch(score_bytes(bytes, known$cases[[1]], known, workshop$kept), sprenn_error = identity)
}

# Makes a picture in a worker, by an engine that is built there once. Failures come
# back as values; so does it that the engine can't be built there.
make_elsewhere <- function(plan, request) {
  if (is.null(workshop$engines)) workshop$engines <- new_shelf(2e7)
  id <- hash_of(list(plan$wanted, plan$name, plan$code))
  engine <- tryCatch(keep(workshop$engines, id, build_engine(plan$wanted, plan$name, plan$folder)), error = identity)
  if (inherits(engine, "condition")) {
    return(structure(list(why = conditionMessage(engine)), class = "sprenn_unbuilt"))
  }
  tryCatch(make_picture(engine, request), sprenn_failure = function(e) structure(unclass(e)[c("message", "kind", "seconds", "cost", "retry_after")], class = class(e)))
}

# How an engine is built in another process: its part of lineup.yml; a changed file
# is another engine.
engine_plan <- function(wanted, name, folder) {
  list(wanted = wanted, name = name, folder = folder, code = if (!is.null(wanted$file)) sha256_of(read_bytes(resolve_path(wanted$file, folder)$path)))
}
