# What another process is sent to make or measure a take: it needs no store. What it
# works out from a case's kit is kept there; another machine gets the files once.

# The part of a suite that measuring one case looks at, which is first.
small_suite <- function(suite, case) {
  small <- suite[setdiff(names(suite), c("cases", "files"))]
  small$cases <- c(
    list(case),
    lapply(decoy_cases(suite, case), function(one) one[c("id", "reference")])
  )
  if (is.na(case$look)) {
    small$looks <- list()
  }

  texts <- unlist(list(small$cases, small$looks, small$measures), use.names = FALSE)
  small$files <- suite$files[intersect(names(suite$files), texts)]
  small
}

# What this process was sent before, if it is one that works for another.
workshop <- new.env()

# Measures takes of one case in a worker. "lacking" where that is on another machine
# and does not have the pictures that the case's files name.
score_elsewhere <- function(kit, pictures, far = FALSE, files = NULL) {
  if (is.null(workshop$kits)) {
    workshop$kits <- new_shelf(2e7)
    workshop$kept <- new_shelf(5e8)
  }

  if (far && is.null(files) && is.null(workshop$kits[[paste0("=", kit$id)]])) {
    return("lacking")
  }

  known <- keep(workshop$kits, kit$id, unpack_suite(kit$suite, files))
  began <- clock()
  scores <- tryCatch(
    lapply(pictures, score_bytes, known$cases[[1]], known, workshop$kept),
    sprenn_error = identity
  )
  structure(scores, seconds = clock() - began)
}

# A suite whose files lie on another machine: they are written here, and the suite
# names these.
unpack_suite <- function(suite, files) {
  if (is.null(files)) {
    return(suite)
  }

  folder <- file.path(tempdir(), "sprenn-pictures")
  here <- vapply(
    names(files),
    function(path) file.path(folder, paste0(hash_of(path), ".", tools::file_ext(path))),
    ""
  )
  write_named(folder, stats::setNames(files, basename(here)))
  suite <- rapply(
    suite,
    function(text) ifelse(text %in% names(here), here[text], text),
    "character",
    how = "replace"
  )
  names(suite$files) <- unname(here[names(suite$files)])
  suite
}

# Makes a picture in a worker, by an engine that is built there once. Failures come
# back as values; so does it that the engine can't be built there, or that its files
# are "lacking".
make_elsewhere <- function(plan, request, files = NULL) {
  if (is.null(workshop$engines)) {
    workshop$engines <- new_shelf(2e7)
  }

  id <- hash_of(list(plan$wanted, plan$name, plan$code))
  if (isTRUE(plan$far) && is.null(workshop$engines[[paste0("=", id)]])) {
    if (is.null(files) && length(plan$files)) {
      return("lacking")
    }

    plan$folder <- file.path(tempdir(), "sprenn-engines", id)
    write_named(plan$folder, files)
    Sys.chmod(file.path(plan$folder, names(files)), "700")
    dir.create(plan$folder, showWarnings = FALSE, recursive = TRUE)
    plan$folder <- normalizePath(plan$folder)
  }

  engine <- tryCatch(
    keep(workshop$engines, id, build_engine(plan$wanted, plan$name, plan$folder)),
    error = identity
  )
  if (inherits(engine, "condition")) {
    return(structure(list(why = conditionMessage(engine)), class = "sprenn_unbuilt"))
  }

  tryCatch(make_picture(engine, request), sprenn_failure = function(e) {
    structure(
      unclass(e)[c("message", "kind", "seconds", "cost", "retry_after")],
      class = class(e)
    )
  })
}

