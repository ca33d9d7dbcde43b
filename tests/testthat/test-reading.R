# How phrases are read, and what checks are drafted from them.

read_as_text <- function(say, ...) {
  facts <- read_phrase(say, ...)
  paste(facts$kind, facts$of, facts$at)
}

test_that("colours are read with their place, and not where they name something else", {
  expect_equal(read_as_text("a teal sky"), "colour teal top")
  expect_equal(read_as_text("a plain white background")[1], "colour white border")
  expect_equal(read_as_text("pink and navy blue walls"), c("colour pink any", "colour navy any"))
  expect_equal(
    read_as_text("red, black and white"),
    paste("colour", c("red", "black", "white"), "any")
  )
  expect_equal(read_as_text("light blue door"), "colour sky blue any")
  for (other in c(
    "grey beard", "red hair", "a brown bear", "white wine", "an orange", "a black man walking",
    "pale yellow", "gold", "no red", "blackboard", "greenhouse", "keep the red car"
  )) {
    expect_false(any(grepl("^colour", read_as_text(other))), info = other)
  }
  expect_equal(read_as_text("an orange tent"), "colour orange any")
  expect_equal(read_as_text("black and white photo"), "tone mono whole")
  expect_equal(sum(grepl("^colour", read_as_text("a black and white cat"))), 2)
  # Every colour that is read has bounds of its own.
  expect_true(all(names(colour_words) %in% colour_names()$colour))
})

test_that("light, tones and layout are read, and not out of names", {
  expect_equal(read_as_text("at dusk"), "light dark whole")
  expect_equal(read_as_text("harbour at night"), "light dark whole")
  expect_equal(read_as_text("dark clouds above"), "light dark top")
  expect_equal(read_as_text("high noon"), "light bright whole")
  expect_equal(read_as_text("a misty morning"), "light misty whole")
  expect_equal(read_as_text("golden hour"), "light warm whole")
  expect_equal(read_as_text("blue hour"), c("light dark whole", "light cool whole"))
  expect_equal(read_as_text("sepia"), "tone mono whole")
  expect_equal(read_as_text("vivid colours"), "tone vivid whole")
  expect_equal(read_as_text("muted palette"), "tone muted whole")
  expect_equal(read_as_text("high contrast"), "tone high contrast whole")
  expect_equal(read_as_text("busy market"), "layout busy whole")
  expect_equal(read_as_text("symmetrical composition"), "layout symmetry whole")
  expect_equal(read_as_text("empty middle"), "layout plain centre")
  for (other in c(
    "poster for a jazz night", "a night stand", "dark wooden panels", "a bright red hat",
    "afternoon", "without fog", "an asymmetrical crop", "less contrast", "opening night"
  )) {
    expect_false(any(grepl("^(light|tone|layout)", read_as_text(other))), info = other)
  }
})

test_that("people and things are counted as far as a phrase says", {
  counts <- c(
    "two kites" = "thing kite 2",
    "a kite" = "thing kite 1+",
    "one single kite" = "thing kite 1",
    "many gulls" = "thing bird 2+",
    "five sheep" = "thing sheep 5",
    "a man and a woman" = "people people 2+",
    "a chef and three waiters" = "people people 4+",
    "twelve children" = "people people 12",
    "a crowd on the quay" = "people people 2+",
    "family of four" = "people people 4",
    "no people" = "people people 0",
    "empty street" = "people people 0",
    "remove the tourists" = "people people 0",
    "without a car" = "thing car 0",
    "a wedding couple" = "people people 2"
  )
  for (say in names(counts)) {
    expect_equal(read_as_text(say), counts[[say]], info = say)
  }
  expect_equal(
    read_as_text("a girl with a teddy bear"),
    c("people people 1+", "thing teddy bear 1+")
  )
  # The longer noun is another thing.
  for (other in c("bus stop", "book cover", "a car park", "a bear market", "cat shaped cloud")) {
    expect_length(read_as_text(other), 0)
  }
  # A thing that nobody can look for is not read.
  expect_length(read_as_text("two kites", things = "boat"), 0)
  # Spoken of twice, they may be the same ones.
  expect_equal(read_as_text("two men, three men with hats"), "people people 3+")
})

test_that("people's looks and lettering are read", {
  expect_equal(read_as_text("a smiling man"), c("people people 1+", "person smile whole"))
  expect_equal(read_as_text("portrait of a queen")[2], "person portrait whole")
  expect_equal(read_as_text("portrait of a horse"), "thing horse 1+")
  expect_equal(read_as_text("facing the camera"), "person facing front whole")
  expect_equal(read_as_text("seen from behind"), "person facing away whole")
  expect_equal(read_as_text("sign reading \"QUAY ST, 4\""), "text QUAY ST, 4 whole")
  expect_equal(read_as_text("\u201cOPEN\u201d in red"), c("text OPEN whole", "colour red any"))
  expect_equal(read_as_text("no lettering"), "text none whole")
  expect_equal(read_as_text("lettering"), "text some whole")
  expect_equal(draft_checks("lettering")$for_judges, "lettering")
  expect_equal(read_as_text("remove the date stamp"), "text none whole")
})

test_that("of a change only what comes of it is read, and odd texts give nothing", {
  expect_equal(read_as_text("change the sky from red to teal"), "colour teal any")
  expect_equal(read_as_text("make it night"), "light dark whole")
  odds <- c("", " ", ".", "\"\"", "\u6d77\u8fba", strrep("very ", 500), ", , ,", "{seed}", "(((")
  for (odd in odds) {
    expect_equal(nrow(read_phrase(odd)), 0, info = odd)
  }
})

test_that("checks are drafted where pixels tell, with how the phrase was understood", {
  drafted <- draft_checks("a teal sky at dusk")
  expect_equal(
    lapply(drafted$probes, function(probe) probe[names(probe) != "drafted"]),
    list(
      list(colour = "teal", where = "top third", share = "at least 0.3"),
      list(brightness = "at most 0.43")
    )
  )
  expect_match(drafted$probes[[1]]$drafted, "^teal at the top \\([0-9a-f]{8}\\)$")
  expect_equal(draft_checks("two kites")$for_judges, "kite: 2")
  # Most photographs have some black, so that it tells nothing.
  expect_equal(draft_checks("a black door")$for_judges, "black somewhere")
  expect_equal(draft_checks("a red door")$probes[[1]]$patches, "at least 1")
  expect_equal(
    draft_checks("no text, a smiling crowd")$for_judges,
    c("no lettering", "people: at least 2", "smile")
  )
  # Every fact that is not for a judge has a bound that can be read.
  for (bound in fact_bounds) {
    expect_length(build_probe(stats::setNames(list(bound[[2]]), bound[[1]]))$bound, 2)
  }
})

drafting_suite <- function() {
  c(
    "suite: small",
    "seeds: [1]",
    "size: [96, 64]",
    "cases:",
    "  - id: one            # the first",
    "    job: restyle",
    "    reference: references/one.png",
    "    prompt:",
    "      - a teal sky     # above all",
    "      # a comment of its own",
    "      - {say: at dusk, probe: {brightness: at most 0.3}}",
    "      - two kites",
    "    negative: [red, noise]",
    paste0(
      "  - {id: two, job: restyle, reference: references/two.png, ",
      "prompt: \"golden hour, teal and pink sky\"}"
    ),
    "  - id: three",
    "    job: restyle",
    "    reference: references/three.png",
    "    prompt: neutral"
  )
}

test_that("drafts go into suite.yml, and nothing else in it changes", {
  folder <- small_trial(suite = drafting_suite())
  drafts <- draft_evidence(folder)
  expect_equal(drafts$state, c("drafted", "own", "for a judge", "drafted", "unread", "drafted"))
  expect_equal(drafts$part, rep(c("prompt", "negative", "prompt"), c(3, 2, 1)))
  lines <- readLines(file.path(folder, "suite.yml"))
  expect_match(lines, "say: a teal sky # above all$", all = FALSE)
  expect_match(lines, "# a comment of its own", all = FALSE)
  expect_match(lines, "# the first", all = FALSE)
  suite <- read_trial(folder)$suite
  expect_equal(suite$cases[[1]]$prompt[[1]]$read_as, "teal at the top")
  expect_equal(suite$cases[[1]]$unwanted[[1]]$probe[[1]]$measure, "patches")
  # Several checks of one phrase.
  expect_length(suite$cases[[2]]$prompt[[1]]$probe, 3)
  # The same again changes nothing.
  again <- draft_evidence(folder)
  expect_equal(again, drafts)
  expect_equal(readLines(file.path(folder, "suite.yml")), lines)
  expect_equal(nrow(draft_evidence(folder, cases = "three")), 0)
  expect_error(draft_evidence(folder, cases = "four"), "four", class = "sprenn_error_argument")
})

test_that("comments stay, however a suite is written", {
  head <- c("suite: small", "seeds: [1]", "size: [96, 64]", "cases:")
  cases <- list(
    "  - {id: one, job: restyle, reference: references/one.png, prompt: [a teal sky, fog]}  # kept",
    c(
      "  - id: one", "    job: restyle", "    reference: references/one.png",
      "    prompt: \"a teal sky # 4\"   # kept"
    ),
    c(
      "  - id: one", "    job: restyle", "    reference: references/one.png", "    prompt:",
      "      - say: a teal sky   # kept", "        # above the weight", "        weight: 2"
    ),
    c(
      "  - id: one", "    job: restyle", "    reference: references/one.png", "    prompt: [fog,",
      "      a teal sky]   # kept", "    # the end"
    )
  )
  for (case in cases) {
    folder <- small_trial(suite = c(head, case))
    draft_evidence(folder)
    lines <- readLines(file.path(folder, "suite.yml"))
    expect_equal(sum(grepl("# kept$", lines)), 1, info = case[1])
    own <- grep("# (above|the end)", case, value = TRUE)
    expect_equal(sum(grepl("# (above|the end)", lines)), length(own))
    read <- read_trial(folder)$suite$cases[[1]]$prompt
    expect_true("teal at the top" %in% unlist(lapply(read, `[[`, "read_as")))
  }
  expect_equal(
    comment_of(c("a: b # c", "a: \"b # c\"", "# d", "a: 'it # x' # y", "a: b#c")),
    c("# c", "", "# d", "# y", "")
  )
})

test_that("a check counts as drafted until it is edited, and not for other words", {
  folder <- small_trial(suite = drafting_suite())
  draft_evidence(folder)
  file <- file.path(folder, "suite.yml")
  lines <- readLines(file)
  writeLines(sub("where: top third", "where: top half", lines), file)
  suite <- read_trial(folder)$suite
  expect_length(suite$cases[[1]]$prompt[[1]]$read_as, 0)
  expect_equal(draft_evidence(folder, "one")$state[1], "own")
  writeLines(sub("say: a teal sky", "say: a cream sky", lines), file)
  problems <- tryCatch(read_trial(folder), sprenn_error_trial = function(e) e$problems)
  expect_equal(problems$place, "cases[1].prompt[1].probe.drafted")
  expect_match(problems$wanted, "drafts it anew")
  draft_evidence(folder)
  expect_equal(read_trial(folder)$suite$cases[[1]]$prompt[[1]]$read_as, "cream at the top")
})

test_that("who drafted a check is no part of what a suite means", {
  suite <- drafting_suite()
  suite[9] <- paste0(
    "      - {say: a teal sky, ", "probe: {colour: teal, where: top third, share: at least 0.3}}"
  )
  by_hand <- fingerprint_suite(read_trial(small_trial(suite = suite[1:14]))$suite)
  suite[9] <- sub(
    "0.3}",
    paste0("0.3, drafted: \"teal at the top (", probe_mark("a teal sky", list(
      colour = "teal", where = "top third", share = "at least 0.3"
    )), ")\"}"),
    suite[9]
  )
  read <- read_trial(small_trial(suite = suite[1:14]))$suite
  expect_equal(read$cases[[1]]$prompt[[1]]$read_as, "teal at the top")
  expect_equal(fingerprint_suite(read), by_hand)
})

test_that("each of several checks is measured, and their mean is the phrase's evidence", {
  phrase <- build_phrase(list(say = "red and blue", probe = list(
    list(colour = "red", share = "at least 0.4"), list(colour = "blue", share = "at least 0.4")
  )))
  pixels <- array(0, c(40, 40, 3))
  pixels[, 1:20, 1] <- 0.8
  pixels[, 21:40, ] <- 0.1
  scene <- list(take = view_picture(pixels))
  found <- score_scene(scene, list(phrase), all_probes())
  expect_equal(found$measure, rep("colour_share", 2))
  expect_equal(found$value, c(1, 0))
})

test_that("sprenn evidence --draft shows what it read, and check lists what nobody has edited", {
  folder <- small_trial(suite = drafting_suite())
  said <- run_cli("evidence", folder, "--draft")
  expect_equal(said$status, 0)
  expect_match(said$out, "a teal sky -> teal at the top .teal: at least 0.30", all = FALSE)
  expect_match(said$out, "two kites -> kite: 2", all = FALSE)
  expect_match(said$out, "no noise -> (not understood)", fixed = TRUE, all = FALSE)
  expect_match(said$out, "Checks drafted for 3 of 6 phrases in .*suite.yml", all = FALSE)
  checked <- run_cli("check", folder)
  expect_match(checked$out, "Drafted checks that nobody has edited", all = FALSE)
  expect_match(checked$out, "one: a teal sky -> teal at the top", all = FALSE)
  as_json <- jsonlite::fromJSON(run_cli("check", folder, "--json")$out)
  expect_equal(as_json$drafted_checks$phrase[1], "a teal sky")
  both <- run_cli("evidence", folder, "--draft", "--run", "second")
  expect_equal(both$status, 2)
  expect_match(both$err, "takes no --run", all = FALSE)
  said <- run_cli("evidence", folder, "--draft", "--case", "two", "--json")
  expect_equal(unique(jsonlite::fromJSON(said$out)$phrases$case), "two")
  expect_equal(run_cli("evidence", folder, "--case", "two")$status, 2)
})
