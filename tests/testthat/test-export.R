# A run in open formats, and what is freed of it.

exported_trial <- function(env = parent.frame()) {
  lineup <- c(
    "engines:",
    "  mixer: {kind: function, file: mixer.R}",
    "pipelines:",
    "  - {id: \"loose\", engine: mixer, hold: 0.1}",
    "  - id: kept",
    "    steps: [{engine: mixer, hold: 0.1}, {engine: mixer, hold: 0.9}]",
    "sweeps: [{vary: hold, of: loose, over: [0.5]}]",
    "controls: [repeat]"
  )
  suite <- small_suite
  suite[5:7] <- sub("prompt: .*", "", suite[5:7])
  suite[5:7] <- paste0(
    suite[5:7],
    "prompt: [{say: \"a \\\"thing\\\", caf\u00e9, two\\nlines\", probe: {brightness: at most ",
    "0.9}}]}"
  )
  small_trial(suite, lineup, env = env)
}

test_that("tables say what the run says, as CSV and as Parquet", {
  folder <- exported_trial()
  fails <- function(request) {
    if (request$seed == 2 && request$hold == 0.5) {
      engine_failure("refused", "no, \"never\"\nagain")
    }
  }

  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = fails)))
  takes <- run_trial(trial)$takes
  csv <- export_run(folder, as = "csv", file = withr::local_tempfile())
  parquet <- export_run(folder, as = "parquet", file = withr::local_tempfile())
  described <- jsonlite::read_json(file.path(csv$path, "csv-metadata.json"))
  for (table in described$tables) {
    name <- sub("[.]csv$", "", table$url)
    one <- utils::read.csv(
      file.path(csv$path, table$url),
      encoding = "UTF-8",
      na.strings = "",
      check.names = FALSE
    )
    other <- as.data.frame(
      nanoparquet::read_parquet(file.path(parquet$path, paste0(name, ".parquet")))
    )
    expect_equal(names(one), vapply(table$tableSchema$columns, `[[`, "", "name"))
    expect_equal(names(other), names(one))
    expect_equal(nrow(one), nrow(other))
    for (column in names(one)) {
      expect_equal(
        as.character(one[[column]]),
        as.character(other[[column]]),
        tolerance = 1e-12
      )
    }
  }

  read <- utils::read.csv(file.path(csv$path, "takes.csv"), encoding = "UTF-8", na.strings = "")
  expect_equal(read$take, takes$take)
  expect_equal(unique(read$message[read$state == "refused"]), "no, \"never\"\nagain")
  scores <- score_run(folder)$scores
  at <- scores[scores$measure == "orientation", ]
  expect_equal(read$orientation[match(at$take, read$take)], at$value, tolerance = 1e-12)
  expect_true(all(is.na(read$orientation[read$state == "refused"])))
  expect_setequal(
    utils::read.csv(file.path(csv$path, "scores.csv"), encoding = "UTF-8")$phrase,
    c("", "a \"thing\", caf\u00e9, two\nlines")
  )
  # The database itself says the same to whoever opens it.
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "runs", "main", "run.sqlite"))
  withr::defer(DBI::dbDisconnect(db))
  view <- DBI::dbGetQuery(db, "SELECT take, orientation FROM overview WHERE state = 'made'")
  expect_equal(view$orientation, read$orientation[read$state == "made"], tolerance = 1e-12)
  expect_equal(DBI::dbGetQuery(db, "SELECT count(*) AS n FROM all_scores")$n, nrow(scores))
})

# What RO-Crate 1.1 requires of a metadata file and of the entities in it.
crate_problems <- function(folder) {
  metadata <- jsonlite::read_json(file.path(folder, "ro-crate-metadata.json"))
  graph <- metadata[["@graph"]]
  ids <- vapply(graph, `[[`, "", "@id")
  types <- lapply(graph, function(entity) unlist(entity[["@type"]]))
  named <- function(id) graph[[match(id, ids)]]
  root <- named("./")
  descriptor <- named("ro-crate-metadata.json")
  refs <- function(x) {
    if (is.list(x)) {
      c(if (identical(names(x), "@id")) x[["@id"]], unlist(lapply(x, refs), use.names = FALSE))
    }
  }

  nested <- function(x, depth) {
    is.list(x) &&
      ((depth > 0 && "@type" %in% names(x)) || any(vapply(x, nested, NA, depth = depth + 1)))
  }

  parts <- function(id) unlist(lapply(named(id)$hasPart, `[[`, "@id"))
  reached <- "./"
  repeat {
    more <- setdiff(unlist(lapply(intersect(reached, ids), parts)), reached)
    if (length(more) == 0) {
      break
    }

    reached <- c(reached, more)
  }

  data <- ids[vapply(types, function(type) any(c("File", "Dataset") %in% type), NA)]
  local <- data[!grepl("^https?:", data) & data != "./"]
  there <- vapply(local, function(id) file.exists(file.path(folder, utils::URLdecode(id))), NA)
  payload <- list.files(folder, recursive = TRUE)
  linked <- setdiff(refs(lapply(graph, function(entity) entity[names(entity) != "@id"])), ids)
  c(
    if (!identical(metadata[["@context"]], "https://w3id.org/ro/crate/1.1/context")) {
      "the context is not that of 1.1"
    },
    if (anyDuplicated(ids)) "an id twice",
    if (!all(lengths(types) > 0)) "an entity without a type",
    if (any(vapply(graph, nested, NA, depth = 0))) "the graph is not flat",
    if (descriptor[["@type"]] != "CreativeWork" ||
      descriptor$about[["@id"]] != "./" ||
      descriptor$conformsTo[["@id"]] != "https://w3id.org/ro/crate/1.1") {
      "the descriptor is none"
    },
    if (!"Dataset" %in% root[["@type"]] ||
      !is.character(root$name) ||
      !is.character(root$description)) {
      "the root lacks a name, a description or its type"
    },
    if (!grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}", root$datePublished)) "no date",
    if (!all(data %in% reached)) "data that the root does not have",
    if (!all(
      grepl("/$", local[vapply(local, function(id) "Dataset" %in% named(id)[["@type"]], NA)])
    )) {
      "a folder without its slash"
    },
    if (!all(there)) paste("not there:", local[!there][1]),
    if (grepl("[ \"<>\\\\^`{|}]", paste(ids, collapse = ""))) "an id that is no address",
    if (length(
      undescribed <- setdiff(
        payload,
        c("ro-crate-metadata.json", vapply(local, utils::URLdecode, ""))
      )
    )) {
      paste("not described:", undescribed[1])
    },
    if (!all(grepl("^https?://", linked))) {
      paste("a link to nothing:", grep("^https?://", linked, invert = TRUE, value = TRUE)[1])
    }
  )
}

test_that("a crate keeps what its specification requires, and says how each picture came about", {
  folder <- exported_trial()
  file.rename(
    file.path(folder, "references", "one.png"),
    file.path(folder, "references", "one \u00e9 (copy).png")
  )
  suite <- file.path(folder, "suite.yml")
  writeLines(
    sub(
      "references/one.png",
      "references/one \u00e9 (copy).png",
      enc2utf8(readLines(suite, encoding = "UTF-8")),
      fixed = TRUE
    ),
    suite,
    useBytes = TRUE
  )
  fails <- function(request) {
    if (request$seed == 2 && request$hold == 0.5) {
      engine_failure("refused", "no")
    }
  }

  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = fails)))
  takes <- run_trial(trial)$takes
  zip <- export_run(
    folder,
    file = withr::local_tempfile(fileext = ".zip"),
    licence = "https://example.invalid/licence"
  )
  crate <- withr::local_tempdir()
  zip::unzip(zip$path, exdir = crate)
  expect_null(crate_problems(crate))
  graph <- jsonlite::read_json(file.path(crate, "ro-crate-metadata.json"))[["@graph"]]
  ids <- vapply(graph, `[[`, "", "@id")
  actions <- Filter(function(entity) entity[["@type"]] == "CreateAction", graph)
  expect_length(actions, nrow(takes) + 1)
  kept <- takes$take[takes$pipeline == "kept"][1]
  action <- graph[[match(paste0("#take-", kept), ids)]]
  # A chain's step came from the picture of the one before it.
  expect_match(action$object[[1]][["@id"]], "^takes/loose/")
  result <- utils::URLdecode(action$result[["@id"]])
  expect_equal(read_recipe(file.path(crate, result))$take, kept)
  refused <- graph[[match(paste0("#take-", takes$take[takes$state == "refused"][1]), ids)]]
  expect_equal(refused$error, "no")
  expect_null(refused$result)
  entity <- graph[[match(action$result[["@id"]], ids)]]
  expect_equal(
    entity$sha256,
    sha256_of(read_bytes(file.path(crate, result)))
  )
  # The trial in it is the trial.
  expect_equal(
    fingerprint_suite(read_trial(file.path(crate, "trial"))$suite),
    fingerprint_suite(read_trial(folder)$suite)
  )
})

test_that("a crate that can't be finished is not there", {
  folder <- small_trial()
  takes <- run_trial(folder, score = FALSE)$takes
  expect_error(
    export_run(folder, file = file.path(tempdir(), "no", "such", "place.zip")),
    class = "sprenn_error"
  )
  writeBin(charToRaw("altered"), takes$path[2])
  file <- withr::local_tempfile(fileext = ".zip")
  expect_error(
    export_run(folder, file = file),
    "not the one that was recorded",
    class = "sprenn_error_store"
  )
  expect_false(file.exists(file))
  expect_error(export_run(folder, as = "xlsx"), class = "sprenn_error_argument")
  expect_error(
    export_run(folder, as = "csv", licence = "https://x"),
    "goes with",
    class = "sprenn_error_argument"
  )
  expect_error(export_run(folder, "nothing"), "no run", class = "sprenn_error_run")
  expect_error(
    export_run(folder, as = "csv", file = takes$path[1]),
    "is a file",
    class = "sprenn_error_file"
  )
})

test_that("names that file systems don't take, or that would be the same, are told apart", {
  takes <- tibble::tibble(
    pipeline = c("a/hold=0.5", "a-hold=0.5", "A:1", "a?1"),
    case = "one",
    seed = 1L,
    control = NA_character_,
    file = "3f/x.png"
  )
  names <- picture_names(takes)
  expect_equal(anyDuplicated(tolower(names)), 0L)
  expect_equal(names[1:2], c("a-hold=0.5/one-1.png", "a-hold=0.5/one-1--2.png"))
  takes$pipeline <- c("..", "../..", ".hidden", "a")
  takes$case <- c("one", "two", "..", "../../x")
  expect_equal(
    picture_names(takes),
    c("-/one-1.png", "--../two-1.png", "-hidden/--1.png", "a/--..-x-1.png")
  )
})

test_that("pruning lists first, deletes what nobody asks for, and nothing else", {
  folder <- exported_trial()
  takes <- run_trial(folder)$takes
  expect_equal(nrow(prune_run(folder)), 0)
  lineup <- file.path(folder, "lineup.yml")
  writeLines(grep("sweeps", readLines(lineup), value = TRUE, invert = TRUE), lineup)
  store <- file.path(folder, "runs", "main")
  dir.create(file.path(store, "set-aside"))
  writeLines("old", file.path(store, "set-aside", "x.png"))
  writeLines("half", file.path(dirname(takes$path[1]), "part-1"))
  listed <- prune_run(folder)
  gone <- takes[takes$pipeline == "loose/hold=0.5", ]
  expect_equal(
    as.list(table(listed$kind)),
    list(leftover = 1L, `set aside` = 1L, take = nrow(gone))
  )
  expect_false(any(listed$gone))
  expect_true(all(file.exists(takes$path)))
  said <- capture.output(sprenn_command(c("prune", folder)))
  expect_match(said, "To be deleted: ", all = FALSE)
  expect_match(said, "sprenn prune .* --yes", all = FALSE)
  pruned <- prune_run(folder, yes = TRUE)
  expect_true(all(pruned$gone))
  expect_equal(pruned$bytes, listed$bytes)
  left <- takes[takes$pipeline != "loose/hold=0.5", ]
  expect_true(all(file.exists(left$path)))
  expect_false(any(file.exists(setdiff(gone$path, left$path))))
  expect_equal(nrow(check_run(folder)), 0)
  expect_equal(outcome_of(folder)$takes$take, left$take)
  expect_setequal(unique(score_run(folder)$scores$take), left$take)
  expect_equal(nrow(prune_run(folder)), 0)
  # A run that is at work is not pruned.
  opened <- open_store(folder, "main")
  withr::defer(close_store(opened))
  hold <- lock_run(opened)
  expect_error(prune_run(folder, yes = TRUE), class = "sprenn_error_locked")
  unlock_run(opened, hold)
})
