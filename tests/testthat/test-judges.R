# A judge of one's own for the tests: sure where a picture is light, and says what it is told to.
light_judge <- function(
  answer = function(pictures, statements) {
    outer(vapply(pictures, mean, 0), statements, function(light, said) {
      ifelse(grepl("^not", said), 1 - light, light)
    })
  },
  version = "1"
) {
  judge("light", version, answer = answer)
}

# A small trial with a judge that is built by `code`; what it is asked is written down in
# the trial's folder.
judged_trial <- function(code, more = "kind: answering", env = parent.frame()) {
  folder <- small_trial(
    brief = c(small_brief, "judges:", paste0("  owl: {", more, ", file: owl.R}")),
    env = env
  )
  writeLines(code, file.path(folder, "owl.R"))
  folder
}

writes_down <- "judge('owl', '%s', answer = function(pictures, statements) {
  asked <- file.path(Sys.getenv('OWL'), 'asked')
  cat(length(pictures), 'x', length(statements), '\\n', file = asked, append = TRUE)
  holds <- function(light, said) ifelse(grepl('^not', said), 1 - light, light)
  outer(vapply(pictures, mean, 0), statements, holds)
})"

adherence_of_run <- function(folder) {
  scores <- score_run(folder)$scores
  scores[scores$measure == "owl", ]
}

test_that("an answer is what both ways of asking agree on", {
  answered <- answered_score
  expect_equal(answered(0.9, 0.1), 0.9)
  expect_equal(answered(0.9, 0.3), 0.8)
  expect_equal(answered(c(1, 0), c(0, 1)), c(1, 0))
  # Who says yes to everything, or no, has said nothing.
  expect_equal(answered(c(0.9, 0.1), c(0.9, 0.1)), c(NA_real_, NA_real_))
})

test_that("a vector is worth by how many decoys it beats, never by its bare cosine", {
  decoys <- rbind(
    c(0, 1, 0),
    c(0, 0, 1),
    c(0, 1, 1),
    c(1, 1, 0)
  )
  scored <- embedded_score(c(1, 0.1, 0), c(2, 0, 0), decoys)
  expect_equal(scored$value, 1)
  expect_gt(scored$raw, 1)
  expect_equal(embedded_score(c(1, 1, 0), c(2, 2, 1), decoys)$value, 0.5)
  # No nearer than a decoy is by chance, and further.
  expect_equal(embedded_score(c(0, 1, 0), c(1, 0, 0), decoys)$value, 0)
  expect_null(embedded_score(c(1, 0, 0), c(1, 0, 0), decoys[1:3, ]))
})

test_that("decoys share no telling word with the case, and are spread over the suite", {
  decoys <- decoy_finder
  expect_equal(
    decoys(c("a windmill", "a red sky", "two kites", "a windmill"))("a blue SKY with kites"),
    c("a windmill", "a red sky")
  )
  expect_equal(
    decoys(c("a windmill", "the Windmill"))(c("hazy", "an old windmill")),
    character()
  )
  expect_length(decoys(paste("thing", letters), 7)("other"), 7)
  expect_equal(decoys(character())("other"), character())
})

test_that("the same stance is alike, another is not, and nobody counts twice", {
  figure <- list(
    nose = c(0.5, 0.2),
    left_shoulder = c(0.45, 0.3),
    right_shoulder = c(0.55, 0.3),
    left_hip = c(0.46, 0.6),
    right_hip = c(0.54, 0.6)
  )
  aside <- lapply(figure, function(at) at + c(0.3, 0))
  alike <- pose_likeness
  expect_equal(alike(list(figure), list(figure)), 1)
  expect_lt(alike(list(aside), list(figure)), 0.05)
  expect_equal(alike(list(figure), list(figure, figure)), 0.5)
  expect_equal(alike(list(aside, figure), list(figure, aside)), 1)
  expect_equal(alike(list(), list(figure)), 0)
  expect_true(is.na(alike(list(figure), list())))
  # Object keypoint similarity by its definition, one joint off by d.
  moved <- figure
  moved$nose <- moved$nose + c(0.02, 0)
  area <- 0.1 * 0.4
  expect_equal(
    alike(list(moved), list(figure)),
    (4 + exp(-0.02^2 / (2 * area * (2 * 0.026)^2))) / 5
  )
})

test_that("depth is compared by what is nearer than what", {
  map <- matrix(1:16, 4)
  expect_equal(depth_likeness(map^3, map), 1)
  expect_equal(depth_likeness(-map, map), -1)
})

test_that("a judge's answers become evidence, each asked once", {
  folder <- judged_trial(sprintf(writes_down, "1"))
  withr::local_envvar(OWL = folder)
  run_trial(folder)
  asked <- readLines(file.path(folder, "asked"))
  found <- adherence_of_run(folder)
  # Two pipelines, three cases, two seeds; case one has a phrase more, which is as true elsewhere.
  expect_equal(nrow(found), 12)
  expect_equal(unique(found$axis), "adherence")
  told <- list_evidence(folder)$beliefs
  expect_equal(told$believed[told$statement == "dark"], FALSE)
  # One call a case, and one for each picture that nobody asked of another case's phrase.
  expect_equal(length(asked), 3 + 8)
  # Nothing is asked twice, whatever is measured again.
  score_run(folder, again = TRUE)
  expect_equal(readLines(file.path(folder, "asked")), asked)
  expect_equal(adherence_of_run(folder)[c("take", "value")], found[c("take", "value")])
  # Another version is asked everything.
  writeLines(sprintf(writes_down, "2"), file.path(folder, "owl.R"))
  score_run(folder)
  expect_length(readLines(file.path(folder, "asked")), 2 * length(asked))
  expect_equal(nrow(adherence_of_run(folder)), 12)
})

test_that("coverage counts what a judge has answered; a removed judge leaves nothing", {
  folder <- judged_trial(sprintf(writes_down, "1"))
  withr::local_envvar(OWL = folder)
  run_trial(folder)
  expect_true(all(choose_pipeline(folder)$table$coverage == 1))
  writeLines(small_brief, file.path(folder, "brief.yml"))
  score_run(folder)
  expect_lt(mean(choose_pipeline(folder)$table$coverage), 0.3)
})

test_that("a judge that answers wrongly is stopped with what is wrong, and the run goes on", {
  answers <- c(
    "matrix(1.7, length(pictures), length(statements))" = "1.7",
    "matrix(NaN, length(pictures), length(statements))" = "not a number",
    "matrix(0.5, 1, 1)" = "answers to",
    "'yes'" = "answers to",
    "stop('out of memory')" = "out of memory"
  )
  for (wrong in names(answers)) {
    folder <- judged_trial(paste0(
      "judge('owl', '1', answer = function(pictures, statements) ", wrong, ")"
    ))
    made <- run_trial(folder)
    expect_match(made$judged$problem, answers[[wrong]], info = wrong)
    expect_true(all(made$takes$state == "made"))
    expect_equal(nrow(adherence_of_run(folder)), 0)
  }
})

test_that("a judge that breaks off half way keeps what it said, and goes on from there", {
  code <- sub(
    "outer(",
    paste0(
      "if (file.exists(file.path(Sys.getenv('OWL'), 'tired'))) engine_failure('out_of_credit', ",
      "'No more today.') else outer("
    ),
    sprintf(writes_down, "1"),
    fixed = TRUE
  )
  code <- sub(
    "cat(length",
    paste0(
      "if (length(readLines(file.path(Sys.getenv('OWL'), 'asked'))) >= 1) ",
      "file.create(file.path(Sys.getenv('OWL'), 'tired'));  cat(length"
    ),
    code,
    fixed = TRUE
  )
  folder <- judged_trial(code)
  withr::local_envvar(OWL = folder)
  file.create(file.path(folder, "asked"))
  expect_match(run_trial(folder)$judged$problem, "No more today")
  half <- nrow(suppressWarnings(adherence_of_run(folder)))
  expect_gt(half, 0)
  expect_lt(half, 12)
  unlink(file.path(folder, c("asked", "tired")))
  writeLines(sprintf(writes_down, "1"), file.path(folder, "owl.R"))
  file.create(file.path(folder, "asked"))
  expect_equal(nrow(adherence_of_run(folder)), 12)
})

test_that("vectors are read from .npy, CSV and Parquet alike", {
  folder <- withr::local_tempdir()
  vectors <- matrix(
    c(0.5, -1, 2, 0.25, 3, -0.125),
    2,
    byrow = TRUE,
    dimnames = list(c("a thing", "b, \"quoted\""), NULL)
  )
  at <- function(name) file.path(folder, name)
  write.csv(data.frame(name = rownames(vectors), vectors), at("v.csv"), row.names = FALSE)
  nanoparquet::write_parquet(data.frame(name = rownames(vectors), vectors), at("v.parquet"))
  npy <- function(type, size, name, head = "False") {
    said <- sprintf("{'descr': '%s', 'fortran_order': %s, 'shape': (2, 3), }", type, head)
    said <- paste0(said, strrep(" ", 63 - (10 + nchar(said)) %% 64), "\n")
    writeBin(
      c(
        as.raw(c(0x93, utf8ToInt("NUMPY"), 1, 0)),
        writeBin(nchar(said), raw(), size = 2, endian = "little"),
        charToRaw(said),
        writeBin(c(t(vectors)), raw(), size = size, endian = "little")
      ),
      at(name)
    )
    writeLines(rownames(vectors), at(sub("npy", "txt", name)))
  }

  npy("<f4", 4, "four.npy")
  npy("<f8", 8, "eight.npy")
  read <- read_vectors
  for (file in c("v.csv", "v.parquet", "four.npy", "eight.npy")) {
    expect_equal(read(at(file)), vectors, info = file)
  }

  npy("<f8", 8, "turned.npy", "True")
  expect_error(read(at("turned.npy")), "Fortran order")
  writeBin(readBin(at("four.npy"), "raw", 140), at("four.npy"))
  expect_error(read(at("four.npy")), "cut off")
  unlink(at("eight.txt"))
  expect_error(read(at("eight.npy")), "names in eight.txt")
  writeLines(c("name,x,y", "a,1,2", "a,3,4"), at("twice.csv"))
  expect_error(read(at("twice.csv")), "two vectors for \"a\"")
  writeLines(c("name,x,y", "a,1,NaN"), at("nan.csv"))
  expect_error(read(at("nan.csv")), "other than numbers")
  expect_error(read(at("none.csv")), "no such file")
})

test_that("vectors from files are evidence for the pictures and phrases that they have", {
  folder <- small_trial(
    suite = sub("prompt: a thing}", "prompt: [a thing, an owl]}", small_suite)
  )
  run_trial(folder)
  files <- sub(
    "\\.png$",
    "",
    basename(Sys.glob(file.path(folder, "runs", "main", "takes", "*", "*.png")))
  )
  vector <- function(n) withr::with_seed(n, rnorm(8))
  write.csv(
    data.frame(name = files, t(vapply(seq_along(files), vector, numeric(8))))[-1, ],
    file.path(folder, "pictures.csv"),
    row.names = FALSE
  )
  texts <- c("a thing", "an owl", "dark", "a mill", "red", "blue")
  write.csv(
    data.frame(name = texts, t(vapply(100 + seq_along(texts), vector, numeric(8)))),
    file.path(folder, "texts.csv"),
    row.names = FALSE
  )
  writeLines(
    c(
      small_brief,
      "judges:",
      "  owl: {kind: vectors, pictures: pictures.csv, texts: texts.csv}"
    ),
    file.path(folder, "brief.yml")
  )
  # The suite has too few other phrases to be decoys.
  expect_equal(nrow(adherence_of_run(folder)), 0)
})

test_that("what is wrong with a judge in brief.yml is told before anything runs", {
  problems <- function(line) {
    problems_of(brief = c(small_brief, "judges:", paste0("  owl: {", line, "}")))
  }

  expect_match(
    problem_at(problems("kind: answering"), "judges.owl")$wanted,
    "call or file or address"
  )
  expect_match(
    problem_at(
      problems("kind: answering, address: \"http://127.0.0.1:1\""),
      "judges.owl"
    )$wanted,
    "model or question, as there is address"
  )
  expect_match(
    problem_at(problems("kind: guessing, file: x.R"), "judges.owl.kind")$wanted,
    "answering"
  )
  expect_match(
    problem_at(problems("kind: vectors, pictures: p.csv, texts: t.csv"), "judges.owl")$found,
    "no such file"
  )
  expect_match(
    problem_at(problems("kind: pose, call: \"sprenn::standin_heron\""), "judges.owl")$found,
    "kind answering"
  )
  named <- problems_of(
    brief = c(
      small_brief,
      "judges:",
      "  blur: {kind: answering, call: \"sprenn::standin_heron\"}"
    )
  )
  expect_match(problem_at(named, "judges.blur")$wanted, "no measure has")
})

test_that("what a judge said is kept so that it comes out as it went in", {
  kind <- function(...) judge("clover", ...)
  answering <- kind(answer = function(pictures, statements) 0)
  embedding <- kind(embed_pictures = identity, embed_texts = identity)
  pose <- kind(figures = identity)
  depth <- kind(depth = identity)
  said <- c(0, 1, 1 / 3, 0.1 + 0.2, 1e-12)
  expect_equal(
    unlist(unpack_said(answering, pack_said(answering, said))),
    said,
    tolerance = 1e-14
  )
  # Vectors as 4-byte numbers: seven digits, also very small and very large ones.
  vector <- c(-1, 0, 1 / 3, 1e-20, 3e20, pi)
  expect_equal(unpack_said(embedding, pack_said(embedding, vector))[[1]], vector, tolerance = 1e-7)
  expect_length(unpack_said(embedding, NA_character_)[[1]], 0)
  figures <- list(
    list(head = c(0.5, 0.25), foot = c(0.125, 1)),
    list(head = c(0, 0))
  )
  expect_equal(unpack_said(pose, pack_said(pose, figures))[[1]], figures)
  expect_equal(unpack_said(pose, pack_said(pose, list()))[[1]], list())
  # Depth counts by what is nearer than what: its own units are gone.
  slope <- matrix(seq(3, 900, length.out = 48 * 64), 48)
  kept <- unpack_said(depth, pack_said(depth, slope))[[1]]
  expect_length(kept, 32 * 32)
  expect_true(all(kept > -1e-6 & kept < 1 + 1e-6))
  expect_equal(order(matrix(kept, 32)[16, ]), 1:32)
})
