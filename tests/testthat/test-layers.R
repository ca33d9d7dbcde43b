# The rooms of the package (docs/tour.md) in their order: each calls only those above it
# in this list.
rooms_in_order <- c(
  base = "base",
  measure = "core",
  score = "core",
  choose = "core",
  schema = "work",
  prep = "work",
  engine = "work",
  judge = "work",
  suite = "work",
  lineup = "work",
  brief = "work",
  trial = "work",
  store = "work",
  result = "work",
  run = "work",
  figure = "interface",
  sheet = "interface",
  page = "interface",
  report = "interface",
  viewing = "interface",
  mark = "interface",
  watch = "interface",
  cli = "interface",
  standin = "standin"
)

without_room <- c("RcppExports.R", "sprenn-package.R")

# What the core may use of the base: neither of these knows a file or a clock.
base_of_core <- c("base-checks.R", "base-tables.R", "base-words.R")

# Stand-ins are servers and drawings that nothing else needs, but for the demo: its
# pictures are their drawings, and its servers are stand-ins.
demo_may_call <- list(
  "trial-new.R" = "draw_demo_pictures",
  "cli-demo.R" = c("start_standins", "stop_standins", "is_taken"),
  "cli-engines.R" = c("start_standins", "stop_standins")
)

room_of <- function(file) sub("-.*", "", sub("\\.R$", "", file))

# The names that an expression at the top of a file uses, without its own local ones.
used_by <- function(expression) {
  value <- if (is_definition(expression)) expression[[3]] else expression
  codetools::findGlobals(eval(call("function", NULL, value)), merge = TRUE)
}

is_definition <- function(expression) {
  is.call(expression) && identical(expression[[1]], quote(`<-`)) && is.name(expression[[2]])
}

# The functions and constants that each file defines, and the names that it uses. Files that were
# read before are not read again.
files_read <- new.env()

read_files <- function(folder) {
  files <- setdiff(list.files(folder, "\\.R$"), without_room)
  lapply(stats::setNames(nm = files), function(file) {
    key <- tools::md5sum(file.path(folder, file))
    if (is.null(files_read[[key]])) {
      code <- parse(file.path(folder, file), keep.source = FALSE)
      defines <- unlist(lapply(Filter(is_definition, code), function(e) as.character(e[[2]])))
      files_read[[key]] <- list(defines = defines, uses = unique(unlist(lapply(code, used_by))))
    }

    files_read[[key]]
  })
}

# Which file calls what in which other file, one row a call.
calls_between <- function(files) {
  where <- unlist(lapply(names(files), function(file) {
    stats::setNames(rep(file, length(files[[file]]$defines)), files[[file]]$defines)
  }))
  calls <- do.call(rbind, lapply(names(files), function(file) {
    called <- setdiff(intersect(files[[file]]$uses, names(where)), files[[file]]$defines)
    data.frame(from = rep(file, length(called)), called = called, to = unname(where[called]))
  }))
  calls[calls$from != calls$to, ]
}

broken_rules <- function(files) {
  calls <- calls_between(files)
  from <- match(room_of(calls$from), names(rooms_in_order))
  to <- match(room_of(calls$to), names(rooms_in_order))
  layer <- rooms_in_order[from]
  of_standins <- layer == "standin" & room_of(calls$to) != "standin" &
    !calls$called %in% c(getNamespaceExports("sprenn"), "%||%", "stop_sprenn")
  to_standins <- to > from & !mapply(
    function(file, called) called %in% demo_may_call[[file]],
    calls$from,
    calls$called
  )
  base_with_files <- layer == "core" & room_of(calls$to) == "base" &
    !calls$to %in% base_of_core
  wrong <- calls[of_standins | to_standins | base_with_files, ]
  if (nrow(wrong) > 0) {
    paste(wrong$from, "calls", wrong$called, "in", wrong$to)
  }
}

# The sets of names that all reach each other, of at least two.
cycles_in <- function(from, to) {
  reached <- function(start, from, to) {
    seen <- start
    repeat {
      more <- setdiff(to[from %in% seen], seen)
      if (length(more) == 0) {
        return(seen)
      }
      seen <- c(seen, more)
    }
  }
  left <- unique(c(from, to))
  cycles <- list()
  while (length(left) > 0) {
    cycle <- intersect(reached(left[1], from, to), reached(left[1], to, from))
    left <- setdiff(left, cycle)
    cycles <- c(cycles, if (length(cycle) > 1) list(sort(cycle)))
  }
  cycles
}

source_folder <- function() {
  folder <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(folder), "the sources are not beside the tests")
  skip_if_not_installed("codetools")
  folder
}

test_that("each room calls only those before it, and stand-ins only the public contract", {
  files <- read_files(source_folder())
  expect_equal(setdiff(room_of(names(files)), names(rooms_in_order)), character())
  expect_equal(broken_rules(files), NULL)
})

test_that("rooms make no cycle, and files none of more than three", {
  calls <- calls_between(read_files(source_folder()))
  across <- calls[!room_of(calls$to) == "standin" & room_of(calls$from) != room_of(calls$to), ]
  expect_equal(cycles_in(room_of(across$from), room_of(across$to)), list())
  cycles <- cycles_in(calls$from, calls$to)
  expect_equal(cycles[lengths(cycles) > 3], list())
})

test_that("no two files define the same name: the later one would win silently", {
  defined <- lapply(read_files(source_folder()), `[[`, "defines")
  names <- unlist(lapply(defined, unique))
  expect_equal(unname(names[duplicated(names)]), character())
})

test_that("cycles are found", {
  expect_equal(cycles_in(c("a", "b", "c", "d"), c("b", "c", "a", "a")), list(c("a", "b", "c")))
})

test_that("the rule catches a core file that calls the interface, or opens a file", {
  folder <- withr::local_tempdir()
  file.copy(list.files(source_folder(), full.names = TRUE), folder)
  cat(
    "\nshow_it <- function(x) draw_sheet(read_bytes(x))\n",
    file = file.path(folder, "measure-content.R"),
    append = TRUE
  )
  expect_equal(
    broken_rules(read_files(folder)),
    c(
      "measure-content.R calls draw_sheet in sheet-draw.R",
      "measure-content.R calls read_bytes in base-files.R"
    )
  )
})

test_that("the core knows no file, no clock, no network and no screen", {
  forbidden <- c(
    "file", "readLines", "writeLines", "readBin", "writeBin", "readRDS", "file.exists",
    "list.files", "Sys.time", "Sys.Date", "cat", "print", "message", "url", "download.file",
    "system2", "dbConnect", "plot", "set.seed", "rnorm", "runif", "sample"
  )
  files <- read_files(source_folder())
  of_core <- rooms_in_order[room_of(names(files))] == "core"
  for (file in c(names(files)[of_core], base_of_core)) {
    expect_equal(intersect(files[[file]]$uses, forbidden), character(), info = file)
  }

  core <- list.files(
    testthat::test_path("..", "..", "src", "core"),
    full.names = TRUE,
    pattern = "\\.(h|cpp)$"
  )
  expect_gt(length(core), 8)
  for (file in core) {
    expect_false(
      any(grepl("Rcpp|<R\\.h>|Rinternals|fstream|iostream", readLines(file))),
      info = file
    )
  }
})

test_that("no two functions have one name: the later file's would win", {
  defined <- unlist(lapply(read_files(source_folder()), `[[`, "defines"))
  expect_equal(unname(defined[duplicated(defined)]), character())
})

test_that("a file has a subject: neither a sliver nor a heap", {
  files <- list.files(source_folder(), "\\.R$", full.names = TRUE)
  files <- files[!basename(files) %in% without_room]
  lines <- vapply(files, function(file) length(readLines(file)), 0L)
  expect_equal(basename(files[lines > 400]), character())
  expect_lt(sum(lines < 40), 12)
})

test_that("SQL stands in the store's room only", {
  files <- list.files(source_folder(), "\\.R$", full.names = TRUE)
  files <- files[!startsWith(basename(files), "store-")]
  sql <- paste0(
    "\\b(SELECT|UPDATE|DELETE FROM|INSERT INTO|CREATE TABLE|ALTER TABLE) [a-zA-Z*]|",
    "\\b(read_db|write_db|dbGetQuery|dbExecute)\\("
  )
  found <- unlist(lapply(files, function(file) grep(sql, readLines(file), value = TRUE)))
  expect_equal(found, character())
})

test_that("state has an owner: no loose environments outside caches and classes", {
  files <- list.files(source_folder(), "\\.R$", full.names = TRUE)
  # Where a file that somebody brings along is read.
  files <- files[!basename(files) %in% c("base-cache.R", "engine-command.R")]
  found <- unlist(lapply(files, function(file) grep("new\\.env\\(", readLines(file), value = TRUE)))
  expect_equal(found, character())
})

test_that("code keeps to 100 columns and to one thought a line", {
  r_files <- list.files(source_folder(), "\\.R$", full.names = TRUE)
  tests <- list.files(testthat::test_path(), "\\.R$", full.names = TRUE)
  for (file in c(r_files[basename(r_files) != "RcppExports.R"], tests)) {
    expect_equal(sum(nchar(readLines(file), "width") > 100), 0, info = file)
  }

  counts <- vapply(setdiff(r_files, grep("RcppExports", r_files, value = TRUE)), function(file) {
    tokens <- utils::getParseData(parse(file, keep.source = TRUE))
    tokens <- tokens[tokens$terminal & tokens$token != "COMMENT", ]
    c(nrow(tokens), length(unique(tokens$line1)))
  }, c(0, 0))
  expect_lt(sum(counts[1, ]) / sum(counts[2, ]), 7.5)
})
