# What judges find in a picture: how it is read, stored, scored, and held against a reference.

value_of <- function(finding, ...) score_of_find(finding, list(...))$value

test_that("a count holds as far as its things are sure", {
  three <- list(things = some_things(c("kite", "kite", "boat"), c(0.9, 0.9, 0.9)))
  expect_gt(value_of(three, kind = "thing", of = "kite", bound = c(2, 2)), 0.99)
  expect_lt(value_of(three, kind = "thing", of = "kite", bound = c(3, 3)), 0.01)
  expect_gt(value_of(three, kind = "thing", of = "cat", bound = c(0, 0)), 0.99)
  # One that is as likely there as not.
  unsure <- list(things = some_things("kite", even_confidence))
  expect_equal(value_of(unsure, kind = "thing", of = "kite", bound = c(1, Inf)), 0.5)
  expect_equal(
    chance_of_counts(c(0.5, 0.2)),
    c(0.5 * 0.8, 0.5 * 0.8 + 0.5 * 0.2, 0.5 * 0.2)
  )
  expect_true(is.na(value_of(list(), kind = "thing", of = "kite", bound = c(1, 1))))
})

test_that("people are counted by their faces where bodies are few", {
  two <- list(
    things = some_things("person", 0.2),
    faces = face_like(c(0.1, 0.6), c(0, 0), diag(2))
  )
  expect_equal(score_of_find(two, list(kind = "thing", of = "person", bound = c(2, 2)))$raw, 2)
})

test_that("a face that is boxed several times counts once", {
  # A face that fills the picture, two boxes more within it, and another face beside it.
  boxes <- rbind(
    c(0.04, 0.2, 0.5, 1, 0.6), c(0, 0, 0.55, 1, 0.95), c(0, 0, 0.4, 0.7, 0.5),
    c(0.5, 0.1, 0.9, 0.9, 0.7)
  )
  faces <- as.list(as.data.frame(boxes))
  names(faces) <- c(box_names, "sure")
  faces$descriptor <- diag(4)
  expect_equal(sure_faces(faces), c(2, 4))
  expect_equal(people_in(list(things = some_things(character(), numeric()), faces = faces)), 2)
  expect_equal(faces_there(faces)$descriptor, diag(4)[c(2, 4), ])
  expect_equal(sure_faces(NULL), integer())
  faces$sure[] <- 0.3
  expect_equal(sure_faces(faces), integer())
})

test_that("faces tell expression, side and size, and without one nothing is told", {
  one <- list(faces = face_like(0.3, 35, diag(1), happy = 0.8))
  expect_equal(value_of(one, kind = "face", of = "smiling"), 0.8)
  expect_equal(value_of(one, kind = "face", of = "facing right"), 1)
  expect_equal(value_of(one, kind = "face", of = "facing left"), 0)
  expect_equal(value_of(one, kind = "face", of = "facing front"), 0)
  expect_equal(value_of(one, kind = "face", of = "portrait"), 1)
  expect_true(is.na(value_of(one, kind = "face", of = "full figure")))
  faint <- list(faces = face_like(0.3, 35, diag(1), sure = 0.2))
  expect_true(is.na(value_of(faint, kind = "face", of = "smiling")))
  whole <- list(figures = list(list(nose = c(0.5, 0.1), left_ankle = c(0.5, 0.9))))
  expect_equal(value_of(whole, kind = "face", of = "full figure"), 1)
})

test_that("lettering is words of four letters and more, and words are read in any order", {
  sign <- list(words = some_things(c("FERRY", "ab", "to"), c(0.95, 0.99, 0.9)))
  leaves <- list(words = some_things(c("wv", "i|~"), c(0.99, 0.9)))
  none <- list(words = some_things(character(), numeric()))
  some <- function(finding) value_of(finding, kind = "lettering", of = "some")
  expect_gt(some(sign), 0.98)
  expect_lt(some(leaves), 0.01)
  expect_equal(some(none), 1 - value_of(none, kind = "lettering", of = "none"))
  expect_equal(value_of(sign, kind = "text", of = "To ferry"), 1)
  expect_equal(value_of(sign, kind = "text", of = "FERRI"), 0.8)
  expect_equal(value_of(none, kind = "text", of = "FERRY"), 0)
})

test_that("a take is held against its reference part by part", {
  own <- c(1, 0, 0)
  finding <- list(
    things = some_things("person", 0.9),
    faces = face_like(0.3, 10, matrix(own, 1)),
    figures = list(list(nose = c(0.5, 0.1), left_hip = c(0.5, 0.5), left_ankle = c(0.6, 0.9)))
  )
  same <- finding_likeness(finding, finding)
  expect_equal(names(same), compared_parts)
  expect_equal(unname(same), c(1, 1, 1, 1))
  other <- finding
  other$faces <- face_like(0.3, 40, matrix(c(0, 1, 0), 1))
  other$things <- some_things(c("person", "person"), c(0.9, 0.9))
  changed <- finding_likeness(other, finding)
  expect_equal(changed[["likeness"]], 0)
  expect_equal(changed[["facing"]], 0.5)
  expect_equal(changed[["number"]], 0.5)
  # Of two, the one that has gone is not alike; where no face is seen, a look may hide it.
  two <- finding
  two$faces <- face_like(c(0.1, 0.6), c(10, 10), rbind(own, own, deparse.level = 0))
  one <- two
  one$faces <- face_like(0.1, 10, matrix(own, 1))
  expect_equal(finding_likeness(one, two)[["likeness"]], 0.5)
  none <- list(faces = face_like(numeric(), numeric(), matrix(0, 0, 3)), figures = list())
  expect_true(all(is.na(finding_likeness(none, finding)[c("likeness", "facing", "pose")])))
  expect_true(all(is.na(finding_likeness(finding, list()))))
})

test_that("findings are stored as they were said", {
  said <- list(
    things = some_things(c("kite", "a \"quoted\" thing"), c(0.5, 0.25)),
    words = some_things(character(), numeric()),
    faces = face_like(c(0.1, 0.6), c(-5, 12.5), matrix(c(0.5, -1, 2, 0.25), 2)),
    figures = list(list(nose = c(0.5, 0.25)))
  )
  back <- unpack_said(a_judge(), pack_said(a_judge(), said))[[1]]
  expect_equal(as.list(back$things), as.list(said$things), ignore_attr = TRUE)
  expect_equal(nrow(back$words), 0)
  expect_equal(back$faces, said$faces, tolerance = 1e-6)
  expect_equal(back$figures, said$figures)
  nobody <- list(faces = face_like(numeric(), numeric(), matrix(0, 0, 3)), figures = list())
  back <- unpack_said(a_judge(), pack_said(a_judge(), nobody))[[1]]
  expect_length(back$faces$sure, 0)
  expect_equal(back$figures, list())
  expect_null(back$things)
})

test_that("what is no finding is refused", {
  refuse <- function(found, words = "is not a list of") {
    expect_error(
      check_said(a_judge(), list(found), list(1), character()),
      words,
      class = "sprenn_failure_bad_answer"
    )
  }
  refuse("a kite")
  refuse(list(kites = 2))
  refuse(list(things = data.frame(said = "kite")))
  refuse(list(things = some_things("kite", 1.7)))
  refuse(list(things = some_things("kite", NaN)))
  refuse(list(things = cbind(some_things("kite", 0.5)[-1], said = 3)))
  away <- some_things("kite", 0.5)
  away$right <- 40
  refuse(list(things = away))
  short <- face_like(c(0.1, 0.6), c(0, 0), diag(2))
  short$turn <- short$turn[1, , drop = FALSE]
  refuse(list(faces = short))
  refuse(list(figures = list(list(tail = c(0, 0)))))
  expect_error(
    check_said(a_judge(), list(), list(1), character()),
    class = "sprenn_failure_bad_answer"
  )
})

# Outputs as a server sends them: values row by row.
output <- function(sizes, values) list(sizes = sizes, values = values)

test_that("findings come from tensors, whose lists are filled up to one length", {
  outputs <- list(
    thing = output(c(2, 2), c("kite", "boat", "kite", "")),
    thing_box = output(
      c(2, 2, 5),
      c(0, 0, 1, 1, 0.9, 0.2, 0.2, 0.4, 0.4, 0.5, 0, 0, 1, 1, 0.8, rep(-1, 5))
    ),
    face_box = output(c(2, 1, 5), c(0.1, 0.1, 0.5, 0.5, 0.7, rep(-1, 5))),
    turn = output(c(2, 1, 3), c(12, -3, 1, -1, -1, -1)),
    descriptor = output(c(2, 1, 2), c(3, 4, -1, -1))
  )
  wrong <- function(name, wanted) stop(name, " should be ", wanted)
  found <- findings_in(outputs, 2, wrong)
  expect_equal(found[[1]]$things$said, c("kite", "boat"))
  expect_equal(found[[1]]$things$right, c(1, 0.4))
  expect_equal(found[[2]]$things$said, "kite")
  expect_equal(found[[1]]$faces$turn, matrix(c(12, -3, 1), 1))
  expect_equal(found[[1]]$faces$descriptor, matrix(c(3, 4), 1))
  expect_length(found[[2]]$faces$sure, 0)
  expect_null(found[[1]]$words)
  expect_no_error(check_said(a_judge(), found, list(1, 2), character()))
  outputs$turn$sizes <- c(2, 1, 2)
  expect_error(findings_in(outputs, 2, wrong), "turn should be pictures x how many x 3")
  expect_equal(
    outputs_for_findings(c("thing", "word", "word_box", "face_box", "turn", "mood")),
    c("word", "word_box", "face_box", "turn")
  )
})

test_that("what a server found is limited and cleaned before it is kept", {
  many <- list(thing = output(c(1, 2000), rep("kite", 2000)))
  expect_error(findings_in(many, 1, function(name, wanted) stop(wanted)), "at most 1000 things")
  said <- list(list(words = some_things("FER\033[31mRY", 0.9)))
  clean <- check_said(a_judge(), said, list(1), character())[[1]]
  expect_false(grepl("\033", clean$words$said, fixed = TRUE))
  expect_equal(clean$words$sure, 0.9)
})

test_that("what a swap puts in is not believed where the judge sees it before", {
  suite <- read_trial(small_trial())$suite
  phrase <- list(
    say = "a kite", unwanted = FALSE,
    find = list(list(kind = "thing", of = "kite", bound = c(1, Inf)))
  )
  sees <- function(thing, job = "swap") {
    case <- suite$cases[[1]]
    case$job <- job
    said <- function(subject, statement) list(list(things = some_things(thing, 0.9)))
    is_in_reference(a_judge(), phrase, case, suite, function(case) character(), said)
  }
  expect_true(sees("kite"))
  expect_false(sees("boat"))
  expect_false(sees("kite", "restyle"))
})

test_that("a judge that tells nothing is not believed, and one that does is less its chance", {
  set.seed(4)
  # Of as many statements as there are `others` more that are told by none.
  is_told <- function(found, others = 0) {
    p <- c(found$p, rep(0.9, others))
    told_from_chance(p, c(found$least, rep(0, others)), c(found$chance, rep(0, others)))[1]
  }
  told <- belief_in(runif(12, 0.6, 1), runif(30, 0, 0.3))
  expect_true(is_told(told, 19))
  expect_gt(told$chance, 0.1)
  expect_equal(above_chance(c(told$chance, 1, 0), told$chance), c(0, 1, 0))
  expect_false(is_told(belief_in(runif(12), runif(30)), 19))
  # One that says yes to everything, a little more where it was asked for.
  expect_false(is_told(belief_in(runif(12, 0.9, 1), runif(30, 0.7, 0.8))))
  expect_false(is_told(belief_in(rep(0, 9), rep(0, 9))))
  expect_true(is.na(is_told(belief_in(c(1, 1), rep(0, 9)))))
  # Three against six come to 1 of 84 at best: enough for one statement, not for twenty, of which
  # it may still be the last.
  three <- belief_in(c(1, 0.5, 0.2), c(0.9, 0.8, 0.7, rep(0, 3)))
  expect_false(is_told(three))
  expect_true(is.na(is_told(three, 19)))
  expect_true(is_told(belief_in(rep(1, 3), rep(0, 6))))
  expect_equal(told_from_chance(c(0.001, 0.03, 0.9), rep(0, 3), rep(0, 3)), c(TRUE, FALSE, FALSE))
  expect_equal(told_from_chance(c(0.001, 0.02, NA), rep(0, 3), rep(0, 3)), c(TRUE, TRUE, NA))
  # The unwanted: nowhere, by pipeline, anywhere.
  groups <- rep(c("a", "b", "c"), each = 6)
  expect_true(belief_in_absence(rep(0.1, 18), groups, rep(0, 9))$nowhere)
  by_pipeline <- belief_in_absence(ifelse(groups == "b", 0.9, 0.1), groups, rep(0, 9))
  expect_false(by_pipeline$nowhere)
  expect_lt(by_pipeline$p, 0.01)
  anywhere <- belief_in_absence(rep(c(0.9, 0.1), 9), groups, rep(0, 9))
  expect_false(anywhere$nowhere)
  expect_gt(anywhere$p, 0.5)
})

test_that("findings become evidence in a run, each picture looked at once", {
  looks <- 0
  folder <- finding_trial(function(pictures) {
    looks <<- looks + length(pictures)
    finds_by_light(pictures)
  })
  made <- run_trial(folder)
  expect_true(is.na(made$judged$problem))
  found <- list_evidence(folder)
  expect_equal(found$coverage, 1)
  told <- found$beliefs[!found$beliefs$absent, ]
  expect_setequal(told$statement, paste0(c("kite", "boat", "clock"), ": at least 1"))
  expect_true(all(told$believed))
  # One of the two pipelines washes everything out.
  expect_true(all(told$level > 0.49 & told$level > told$chance + 0.4))
  expect_true(all(found$beliefs$believed))
  evidence <- found$pipelines
  expect_gt(evidence$adherence[1], evidence$adherence[2] + 0.2)
  expect_match(names(choose_pipeline(folder)$table), "structure", all = FALSE)
  before <- looks
  score_run(folder, again = TRUE)
  expect_equal(looks, before)
  tried <- try_judges(folder, "case-2")
  expect_gt(tried$answers$value[tried$answers$phrase %in% "one boat"], 0.95)
  expect_equal(tried$findings$owl$things$said, "boat")
  expect_s3_class(ggplot2::autoplot(tried), "ggplot")
})

test_that("a judge sees a take in its case's frame, whatever the engine made", {
  sizes <- list()
  folder <- finding_trial(function(pictures) {
    sizes <<- c(sizes, lapply(pictures, function(pixels) dim(pixels)[1:2]))
    finds_by_light(pictures)
  })
  assign("twice_as_large", function() {
    made <- mixing_engine()
    made$about$checkpoints$plain$sizes <- list(c(128, 128))
    engine(made$about, made$make)
  }, globalenv())
  withr::defer(rm("twice_as_large", envir = globalenv()))
  writeLines("get('twice_as_large', globalenv())()", file.path(folder, "mixer.R"))
  expect_equal(unique(run_trial(folder)$takes$state), "made")
  expect_equal(unique(sizes), list(c(64L, 64L)))
})

test_that("judges have nothing to tell of a run that made nothing", {
  folder <- finding_trial(finds_by_light)
  refuse <- function(request) stop("no")
  assign("never_makes", function() mixing_engine(broken = refuse), globalenv())
  withr::defer(rm("never_makes", envir = globalenv()))
  writeLines("get('never_makes', globalenv())()", file.path(folder, "mixer.R"))
  made <- run_trial(folder)
  expect_false("made" %in% made$takes$state)
  expect_equal(made$judged$asked, 0)
})

test_that("what is to be absent is believed where it is seen nowhere, though it is so everywhere", {
  folder <- finding_trial(finds_by_light)
  suite <- readLines(file.path(folder, "suite.yml"))
  at <- grep("one kite", suite)
  suite[at] <- sub(
    "prompt: \\[",
    paste0(
      "prompt: [{say: no sign, find: {lettering: none}}, ",
      "{say: no cats, find: {thing: cat, count: 0}}, "
    ),
    suite[at]
  )
  writeLines(suite, file.path(folder, "suite.yml"))
  run_trial(folder)
  found <- list_evidence(folder)
  none <- found$phrases$phrase %in% c("no sign", "no cats")
  expect_equal(sum(none), 4)
  expect_true(all(found$phrases$value[none] > 0.95))
})

test_that("of a judge whose answers are shuffled, no statement is believed", {
  set.seed(8)
  folder <- finding_trial(function(pictures) {
    lights <- sample(c(0.2, 0.5, 0.8), length(pictures), replace = TRUE)
    finds_by_light(lapply(lights, function(light) array(light, c(4, 4, 3))))
  })
  run_trial(folder)
  found <- list_evidence(folder)
  told <- found$beliefs[!found$beliefs$absent, ]
  expect_equal(nrow(told), 3)
  # That it sees lettering nowhere says nothing of it either.
  expect_false(any(found$beliefs$believed))
  wanted <- startsWith(found$phrases$phrase, "one")
  expect_true(all(found$phrases$covered[wanted] == 0))
  expect_match(format(found), "can't tell pictures that were asked for this", all = FALSE)
})

test_that("what is to be found is one thing at a time, and needs a judge", {
  problems_of <- function(find) {
    suite <- sub("find: \\{thing: kite, count: at least 1\\}", find, finding_suite())
    folder <- small_trial(suite = suite)
    file.copy(
      file.path(folder, "references", "one.png"),
      file.path(folder, "references", paste0(c("kite", "boat", "clock"), ".png"))
    )
    tryCatch(read_trial(folder), sprenn_error = function(e) paste(conditionMessage(e)))
  }
  expect_match(problems_of("find: {thing: kite}"), "count")
  expect_match(problems_of("find: {face: smiling, text: OPEN}"), "text")
  expect_match(problems_of("find: {face: handsome}"), "smiling")
  expect_match(problems_of("find: {}"), "find")
  sound <- problems_of("find: [{thing: kite, count: 2}, {text: OPEN}]")
  expect_s3_class(sound, "sprenn_trial")
  expect_match(plan_run(sound)$notes, "names no judge that looks for", all = FALSE)
})

test_that("drafts are of what the judges of the brief tell of", {
  folder <- finding_trial(finds_by_light)
  suite <- readLines(file.path(folder, "suite.yml"))
  phrases <- "    prompt: [two kites, a smiling woman, 'a sign \"OPEN\"', no text]"
  writeLines(sub("^    prompt: .*", phrases, suite), file.path(folder, "suite.yml"))
  drafted <- draft_evidence(folder, "case-1")
  own <- drafted[drafted$part == "prompt", ]
  expect_equal(own$state, rep("drafted", 4))
  expect_equal(
    own$check,
    c("kite: 2", "person: at least 1; smiling", "the words \"OPEN\"", "no lettering")
  )
  # Without a judge they are named only.
  writeLines(small_brief, file.path(folder, "brief.yml"))
  expect_equal(
    unique(draft_evidence(folder, "case-1")$state[1:4]),
    "for a judge"
  )
  expect_false(any(grepl("drafted", readLines(file.path(folder, "suite.yml")))))
})

test_that("the command tries a judge and draws what it found over the picture", {
  skip_on_cran()
  folder <- finding_trial(finds_by_light)
  code <- c("judge('owl', '1', find =", deparse(finds_by_light), ")")
  writeLines(code, file.path(folder, "owl.R"))
  file <- file.path(folder, "seen.png")
  said <- run_cli("judges", folder, "--try", "--case", "case-2", "--out", file)
  expect_equal(said$status, 0)
  expect_match(said$out, "0 people, 1 boat, no lettering", all = FALSE)
  expect_match(said$out, "seen.png", fixed = TRUE, all = FALSE)
  expect_gt(dim(read_picture(file))[2], 600)
  data <- jsonlite::parse_json(run_cli("judges", folder, "--try", "--json")$out)
  expect_equal(data$tried$file, file.path(folder, "found.png"))
  neither <- run_cli("judges")
  expect_equal(neither$status, 2)
  expect_match(neither$err, "needs TRIAL", all = FALSE)
})

test_that("what each pipeline shows is told, where it is wanted and elsewhere", {
  folder <- finding_trial(finds_by_light)
  run_trial(folder)
  found <- list_evidence(folder)
  shown <- found$shown
  kites <- shown[shown$statement == "kite: at least 1", ]
  expect_equal(nrow(kites), 2)
  expect_gt(kites$wanted[1], kites$elsewhere[1] + 0.4)
  # The pipeline that washes everything out shows one thing wherever it is asked for another.
  expect_lt(kites$wanted[2], 0.5)
  number <- shown[shown$statement == "owl_number", ]
  expect_true(all(number$wanted == 1))
  expect_true(all(is.na(number$elsewhere)))
  expect_match(format(found), "kite: at least 1", all = FALSE, fixed = TRUE)
  # What tells no pipeline apart is not listed.
  expect_false(any(grepl("owl_number", format(found))))
})

test_that("cases that do not want a thing tell how often it is seen by chance", {
  folder <- finding_trial(finds_by_light)
  suite <- readLines(file.path(folder, "suite.yml"))
  # All cases speak of kites: those of kites want them, the others don't.
  away <- ", {say: a kite, find: {thing: kite, count: at least 1}}]"
  others <- which(grepl("one (boat|clock)", suite))
  suite[others + 1] <- sub("\\]$", away, suite[others + 1])
  writeLines(suite, file.path(folder, "suite.yml"))
  run_trial(folder)
  beliefs <- list_evidence(folder)$beliefs
  kites <- beliefs[beliefs$statement == "kite: at least 1", ]
  expect_equal(sort(kites$absent), c(FALSE, TRUE))
  wanted <- kites[!kites$absent, ]
  expect_gte(wanted$unasked, 8)
  expect_true(wanted$believed)
  unwanted <- new_table(
    judge = "owl", statement = "kite: at least 1", absent = TRUE, asked = 4L, unasked = 0L,
    level = 0.5, chance = 0.05, p = 0.7, believed = FALSE
  )
  expect_match(
    paste(trimws(unbelieved_words(unwanted)), collapse = " "),
    ", unwanted: 0.50 on average of 4 pictures, alike in all pipelines and cases",
    fixed = TRUE
  )
})

test_that("faces of references are drafted as regions to watch", {
  # The lighter the picture the more faces: none in the kite's, one in the boat's, then four.
  faces_by_light <- function(pictures) {
    lapply(pictures, function(pixels) {
      many <- c(0, 1, 4)[which.min(abs(mean(pixels) - c(0.2, 0.5, 0.8)))]
      if (many == 0) {
        return(list(things = some_things(character(), numeric())))
      }

      at <- seq_len(many)
      descriptor <- diag(4)[at, , drop = FALSE]
      list(faces = face_like(c(0, 0.2, 0.4, 0.6)[at], rep(0, many), descriptor))
    })
  }
  folder <- finding_trial(faces_by_light)
  before <- readLines(file.path(folder, "suite.yml"))
  drafted <- draft_watch(folder, c("case-1", "case-2", "case-3"))
  expect_equal(drafted$case, c("case-2", rep("case-3", 3)))
  expect_equal(drafted$region, c("face", "face", "face-2", "face-3"))
  after <- readLines(file.path(folder, "suite.yml"))
  expect_equal(setdiff(before, after), character())
  watch <- read_trial(folder)$suite$cases[[2]]$watch
  expect_equal(unname(unlist(watch$face$box)), c(0, 0.2, 0.3, 0.6))
  # Cases that watch something are left alone.
  expect_equal(nrow(draft_watch(folder, c("case-2", "case-3"))), 0)
  expect_error(draft_watch(folder, "case-9"), class = "sprenn_error_argument")
  assign("owl_finds", function(pictures) stop("The net is damaged."), globalenv())
  expect_error(draft_watch(folder), "net is damaged", class = "sprenn_error_draft")
  expect_equal(readLines(file.path(folder, "suite.yml")), after)
  writeLines(small_brief, file.path(folder, "brief.yml"))
  expect_error(draft_watch(folder), "No judge of the brief", class = "sprenn_error_draft")
})
