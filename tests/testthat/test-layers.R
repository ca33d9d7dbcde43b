# The rooms of the package (docs/tour.md) and what may call what.
layer_of_room <- c(
  measure = "core",
  score = "core",
  choose = "core",
  suite = "work",
  prep = "work",
  lineup = "work",
  brief = "work",
  trial = "work",
  engine = "work",
  judge = "work",
  run = "work",
  store = "work",
  cli = "interface",
  report = "interface",
  sheet = "interface",
  figure = "interface",
  viewing = "interface",
  standin = "standin"
)

shared <- c("conditions.R", "RcppExports.R", "sprenn-package.R")
rank_of <- c(core = 1, work = 2, interface = 3)

# The functions that each file defines and the names that each uses.
read_rooms <- function(folder) {
  files <- setdiff(list.files(folder, "\\.R$"), shared)
  lapply(stats::setNames(files, files), function(file) {
    code <- parse(file.path(folder, file), keep.source = FALSE)
    defines <- unlist(lapply(code, function(e) {
      if (is.call(e) && identical(e[[1]], quote(`<-`)) && is.name(e[[2]])) {
        as.character(e[[2]])
      }
    }))
    list(
      layer = layer_of_room[[sub("-.*", "", sub("\\.R$", "", file))]],
      defines = defines,
      uses = unique(all.names(code)),
      text = paste(deparse(as.list(code)), collapse = "\n")
    )
  })
}

broken_rules <- function(rooms) {
  where <- unlist(lapply(names(rooms), function(file) {
    stats::setNames(rep(file, length(rooms[[file]]$defines)), rooms[[file]]$defines)
  }))
  unlist(lapply(names(rooms), function(file) {
    own <- rooms[[file]]
    called <- setdiff(intersect(own$uses, names(where)), own$defines)
    layers <- vapply(where[called], function(f) rooms[[f]]$layer, "")
    upward <- called[!is.na(rank_of[own$layer]) &
      (layers == "standin" | (rank_of[layers] > rank_of[own$layer]) %in% TRUE)]
    # The demo trial's pictures are the stand-ins' own drawings, and its servers
    # are stand-ins.
    upward <- setdiff(
      upward,
      switch(file,
        "suite-new.R" = "draw_demo_pictures",
        "cli-demo.R" = c("start_standins", "stop_standins", "is_taken"),
        "cli-engines.R" = c("start_standins", "stop_standins")
      )
    )
    outside <- if (own$layer == "standin") {
      called[layers != "standin" & !called %in% getNamespaceExports("sprenn")]
    }
    if (length(c(upward, outside))) {
      paste(file, "calls", c(upward, outside), "in", where[c(upward, outside)])
    }
  }))
}

source_folder <- function() {
  folder <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(folder), "the sources are not beside the tests")
  folder
}

test_that("each layer calls only downwards, and stand-ins only the public contract", {
  rooms <- read_rooms(source_folder())
  expect_false(anyNA(vapply(rooms, `[[`, "", "layer")))
  expect_equal(broken_rules(rooms), NULL)
})

test_that("the rule catches a core file that calls the interface", {
  folder <- withr::local_tempdir()
  file.copy(list.files(source_folder(), full.names = TRUE), folder)
  cat(
    "\nshow_it <- function(x) draw_sheet(x)\n",
    file = file.path(folder, "measure-blank.R"),
    append = TRUE
  )
  expect_match(
    broken_rules(read_rooms(folder)),
    "measure-blank.R calls draw_sheet",
    all = FALSE
  )
})

test_that("the core knows no file, no clock, no network and no screen", {
  forbidden <- c(
    "file", "readLines", "writeLines", "readBin", "writeBin", "readRDS", "file.exists",
    "list.files", "Sys.time", "Sys.Date", "cat", "print", "message", "url", "download.file",
    "system2", "dbConnect", "plot", "set.seed", "rnorm", "runif", "sample"
  )
  rooms <- read_rooms(source_folder())
  for (file in names(rooms)[vapply(rooms, `[[`, "", "layer") == "core"]) {
    expect_equal(intersect(rooms[[file]]$uses, forbidden), character(), info = file)
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
  defined <- unlist(lapply(read_rooms(source_folder()), `[[`, "defines"))
  expect_equal(unname(defined[duplicated(defined)]), character())
})
