test_that("strengths are those that the ballots speak for, by the model's own definition", {
  fit <- fit_strengths
  ballots <- tibble::tibble(
    one = rep("a", 40),
    other = "b",
    share = rep(c(1, 0), c(30, 10))
  )
  # With two names and a wide reach the difference is the log odds.
  found <- fit(ballots, reach = 1000)
  expect_equal(found$strength[["a"]] - found$strength[["b"]], log(3), tolerance = 1e-4)
  expect_equal(sum(found$strength), 0, tolerance = 1e-9)
  variance <- found$covariance["a", "a"] +
    found$covariance["b", "b"] -
    2 * found$covariance["a", "b"]
  expect_equal(variance, 1 / (40 * 0.75 * 0.25), tolerance = 1e-3)
  # The same by logistic regression.
  many <- withr::with_seed(
    4,
    tibble::tibble(
      one = sample(letters[1:4], 200, TRUE),
      other = sample(letters[1:4], 200, TRUE),
      share = rbinom(200, 1, 0.5)
    )
  )
  many <- many[many$one != many$other, ]
  design <- outer(many$one, letters[1:4], `==`) - outer(many$other, letters[1:4], `==`)
  glm <- stats::glm(many$share ~ 0 + design[, -4], family = stats::binomial())
  expect_equal(
    diff(unname(fit(many, reach = 1e4)$strength)),
    diff(c(unname(coef(glm)), 0)),
    tolerance = 1e-4
  )
})

test_that("who wins throughout has a finite strength, ties leave all equal, nobody knows nothing", {
  table <- strength_table(tibble::tibble(
    one = rep("a", 9),
    other = rep(c("b", "c", "d"), 3),
    share = 1
  ))
  expect_equal(table$pipeline[1], "a")
  expect_true(all(is.finite(table$high)))
  expect_equal(table$preferred, c(9, 0, 0, 0))
  even <- strength_table(tibble::tibble(
    one = c("a", "b"),
    other = c("b", "a"),
    share = 0.5
  ))
  expect_equal(even$strength, c(0, 0), tolerance = 1e-9)
  worth <- pair_worth(
    tibble::tibble(one = character(), other = character(), share = numeric()),
    c("a", "b", "c")
  )
  expect_equal(worth$worth, rep(0.25 * 8, 3))
})

test_that("a pair that nothing is known of says more than one that was seen often", {
  seen <- tibble::tibble(one = rep("a", 30), other = "b", share = rep(c(1, 0), 15))
  worth <- pair_worth(seen, c("a", "b", "c"))
  expect_equal(which.min(worth$worth), which(worth$one == "a" & worth$other == "b"))
})

test_that("agreement counts pairs that both saw, and those that one saw twice", {
  ballots <- tibble::tribble(
    ~person,
    ~pair,
    ~choice,
    "ana",
    "1 2",
    "1",
    "ana",
    "3 4",
    "3",
    "ana",
    "1 2",
    "1",
    "ana",
    "3 4",
    "4",
    "ben",
    "1 2",
    "2",
    "ben",
    "3 4",
    "3",
    "ben",
    "5 6",
    NA
  )
  table <- agreement_table(ballots)
  own <- table[table$one == "ana" & table$other == "ana", ]
  expect_equal(c(own$both, own$agreement), c(2, 0.5))
  both <- table[table$one == "ana" & table$other == "ben", ]
  expect_equal(c(both$both, both$agreement), c(2, 0.5))
  expect_equal(table$both[table$one == "ben" & table$other == "ben"], 0)
})

test_that("a number agrees with people as often as its better take is the preferred one", {
  ballots <- tibble::tibble(
    one_take = c("a", "b", "a", "c"),
    other_take = c("b", "c", "c", "b"),
    share = c(1, 1, 0.5, 1)
  )
  values <- cbind(m = c(a = 3, b = 2, c = 1), never = c(1, 1, 1))
  found <- siding_table(ballots, values)
  expect_equal(found$pairs, c(3, 3))
  expect_equal(found$agreement, c(2 / 3, 0.5))
  expect_false(any(found$beyond_luck))
  expect_equal(siding_table(ballots, values[1, , drop = FALSE])$pairs, c(0, 0))
})

# Ballots of people whose tastes differ, on cases that suit one or another.
worldly_ballots <- function(seed, cases = 10, people = 4, each = 40, careless = 0) {
  strength <- c(a = -1, b = -0.3, c = 0.4, d = 0.9)
  withr::with_seed(seed, {
    by_case <- matrix(stats::rnorm(cases * 4, 0, 0.7), cases)
    by_person <- matrix(stats::rnorm(people * 4, 0, 0.5), people)
    person <- rep(seq_len(people), each = each)
    case <- sample(cases, length(person), TRUE)
    pairs <- t(replicate(length(person), sample(4, 2)))
    of <- function(k) {
      strength[pairs[, k]] +
        by_case[cbind(case, pairs[, k])] +
        by_person[cbind(person, pairs[, k])]
    }

    lead <- ifelse(person <= careless, 0, of(1) - of(2))
    tibble::tibble(
      person = paste0("v", person),
      case = paste0("c", case),
      one = names(strength)[pairs[, 1]],
      other = names(strength)[pairs[, 2]],
      share = as.numeric(stats::runif(length(lead)) < stats::plogis(lead)),
      one_take = paste0(case, one),
      other_take = paste0(case, other)
    )
  })
}

test_that("intervals of strengths hold for other cases and other people", {
  # What very many cases and people would say: less than the strengths put in, for tastes differ.
  truth <- fit_strengths(worldly_ballots(1, 1500, 1500, 8), reach = 100)$strength
  holds <- function(ballots) {
    table <- strength_table(ballots)
    own <- truth[table$pipeline]
    mean(table$low <= own & own <= table$high)
  }

  together <- vapply(1:60, function(seed) holds(worldly_ballots(seed + 10)), 0)
  expect_gt(mean(together), 0.83)
  # As if ballots had nothing to do with each other they would hold much less.
  alone <- vapply(
    1:60,
    function(seed) holds(worldly_ballots(seed + 10)[c("one", "other", "share")]),
    0
  )
  expect_lt(mean(alone), mean(together) - 0.08)
})

test_that("who answers like a coin counts less than who follows", {
  found <- lapply(1:12, function(seed) {
    viewer_table(worldly_ballots(seed, careless = 1, each = 80))
  })
  care <- rowMeans(vapply(found, `[[`, numeric(4), "care"))
  expect_true(all(care[1] < care[-1] - 0.1))
  weighed <- with_care(worldly_ballots(1, careless = 1, each = 80))
  expect_equal(length(unique(weighed$weight)), 4)
  # A coin's ballots pull strengths together; weighed down they do so less.
  plain <- fit_strengths(worldly_ballots(1, careless = 1, each = 80))
  expect_gt(diff(range(fit_strengths(weighed)$strength)), 0)
  expect_false(identical(plain$strength, fit_strengths(weighed)$strength))
  # Alone nobody is doubted.
  expect_equal(viewer_table(worldly_ballots(2, people = 1))$care, 1)
})

test_that("who always takes the left picture, or tires, is told", {
  ballots <- worldly_ballots(3, each = 60)
  ballots$share[ballots$person == "v2"] <- 1
  # The second half of v3 goes against all others.
  strong <- fit_strengths(ballots[ballots$person != "v3", ])$strength
  mine <- which(ballots$person == "v3")
  with <- as.numeric(strong[ballots$one[mine]] > strong[ballots$other[mine]])
  ballots$share[mine] <- ifelse(seq_along(mine) > 30, 1 - with, with)
  found <- viewer_table(ballots)
  expect_true(found$left_odd[found$person == "v2"])
  expect_equal(found$left[found$person == "v2"], 1)
  expect_true(found$tires[found$person == "v3"])
  expect_false(any(found$tires[found$person != "v3"]))
  words <- viewer_words(found)
  expect_match(words, "v2 chose the left picture in 100 %", all = FALSE)
  expect_match(words, "v3 seems to have tired", all = FALSE)
  expect_null(
    viewer_words(
      found[found$person %in% c("v1", "v4") & !found$left_odd & found$high >= 0.8, ]
    )
  )
})

test_that("of fifty meaningless numbers none is said to side with people, and one that does is", {
  listed <- vapply(
    1:40,
    function(seed) {
      ballots <- worldly_ballots(seed, people = 1, each = 10)
      takes <- unique(c(ballots$one_take, ballots$other_take))
      values <- withr::with_seed(
        seed,
        matrix(
          stats::rnorm(50 * length(takes)),
          length(takes),
          dimnames = list(takes, paste0("m", 1:50))
        )
      )
      found <- siding_table(ballots, values)
      c(any(found$beyond_luck), max(found$agreement))
    },
    c(0, 0)
  )
  expect_lte(sum(listed[1, ]), 5)
  # By agreement alone the best of them would look telling.
  expect_gt(mean(listed[2, ] >= 0.8), 0.5)
  ballots <- worldly_ballots(5, people = 5, each = 60)
  takes <- unique(c(ballots$one_take, ballots$other_take))
  strength <- c(a = -1, b = -0.3, c = 0.4, d = 0.9)
  values <- cbind(
    real = strength[sub(".*[0-9]", "", takes)],
    withr::with_seed(1, matrix(stats::rnorm(50 * length(takes)), length(takes)))
  )
  dimnames(values) <- list(takes, c("real", paste0("m", 1:50)))
  found <- siding_table(ballots, values)
  expect_true(found$beyond_luck[found$measure == "real"])
})

# A viewing of a small run, without a page.
small_viewing <- function(
  kind = "pairs",
  wanted = 12,
  pick = FALSE,
  env = parent.frame(),
  ...
) {
  folder <- small_trial(..., env = env)
  run_trial(folder)
  trial <- read_trial(folder)
  store <- open_store(folder, "main")
  withr::defer(close_store(store), envir = env)
  new_viewing(trial, store, kind, wanted, pick, NA_character_, 1)
}

say <- function(viewing, person, choice, ...) {
  shown <- next_showing(viewing, person)
  if (!is.null(shown)) {
    record_ballot(viewing, person, shown, list(choice = choice, ...))
  }

  shown
}

test_that("a person sees each pair of one case and seed once, some again turned round", {
  viewing <- small_viewing(wanted = 12)
  shown <- lapply(1:12, function(i) say(viewing, "ana", "one"))
  shown <- Filter(Negate(is.null), shown)
  expect_gte(length(shown), 6)
  takes <- viewing$takes
  for (one in shown) {
    rows <- takes[match(c(one$one, one$other), takes$take), ]
    expect_equal(length(unique(rows$pipeline)), 2)
    expect_equal(length(unique(paste(rows$case, rows$seed))), 1)
  }

  first <- Filter(function(one) is.na(one$repeats), shown)
  expect_false(
    any(
      duplicated(
        vapply(first, function(one) paste(sort(c(one$one, one$other)), collapse = " "), "")
      )
    )
  )
  # Which side a pipeline stands on is left to chance.
  expect_length(unique(takes$pipeline[match(vapply(shown, `[[`, "", "one"), takes$take)]), 2)
})

test_that("a pair is asked again, the other way round, after ten", {
  viewing <- small_viewing(wanted = 14, suite = change(small_suite, "[1, 2]", "[1, 2, 3, 4]"))
  shown <- Filter(Negate(is.null), lapply(1:14, function(i) say(viewing, "ana", "one")))
  again <- Filter(function(one) !is.na(one$repeats), shown)
  expect_gte(length(again), 1)
  first <- Find(function(one) one$ballot == again[[1]]$repeats, shown)
  expect_equal(c(again[[1]]$one, again[[1]]$other), c(first$other, first$one))
  # Who always takes the left one contradicts themselves.
  people <- viewing_of(viewing$store, viewing$trial)$people
  expect_equal(people$agreement, 0)
})

test_that("a ballot sent twice is one, a wrong one is refused, and undo takes the last one back", {
  viewing <- small_viewing()
  shown <- next_showing(viewing, "ana")
  keep <- function(said) record_ballot(viewing, "ana", shown, said)
  expect_error(keep(list(choice = "both")), class = "sprenn_error_viewing")
  expect_error(keep(list()), class = "sprenn_error_viewing")
  keep(list(choice = "one", seconds = 2.5))
  keep(list(choice = "other"))
  ballots <- read_ballots(viewing$store)
  expect_equal(ballots$choice, "one")
  expect_equal(ballots$seconds, 2.5)
  back <- undo_ballot(viewing, "ana")
  expect_equal(c(back$one, back$other), c(shown$one, shown$other))
  expect_equal(nrow(read_ballots(viewing$store)), 0)
  expect_equal(read_db(viewing$store, "SELECT undone FROM ballots")$undone, 1)
  expect_null(undo_ballot(viewing, "ben"))
})

test_that("single takes are kept or rejected with reasons; words on phrases are evidence", {
  viewing <- small_viewing(
    "singles",
    suite = change(small_suite, "prompt: [a thing,", "negative: [a frame], prompt: [a thing,")
  )
  for (i in 1:12) {
    shown <- next_showing(viewing, "ana")
    own <- viewing$takes[viewing$takes$take == shown$one, ]
    record_ballot(
      viewing,
      "ana",
      shown,
      list(
        choice = if (own$pipeline == "firm") "keep" else "reject",
        reasons = list("layout lost", "made up"),
        phrases = list("a thing" = "yes", "no frame" = "no", "a thing " = "maybe")
      )
    )
  }

  expect_null(next_showing(viewing, "ana"))
  found <- viewing_of(viewing$store, viewing$trial)
  expect_equal(found$keepers$kept[match(c("firm", "loose"), found$keepers$pipeline)], c(6, 0))
  expect_equal(unique(found$keepers$reasons), "layout lost 6")
  evidence <- list_evidence(viewing$trial$folder)$phrases
  expect_equal(evidence$sources[evidence$phrase == "a thing"], rep("viewing", 3))
  expect_equal(evidence$covered[evidence$phrase == "a thing"], rep(1, 3))
  # Measuring again does not lose what people said, and taking an answer back takes its evidence.
  said <- function() sum(read_scores(viewing$store)$measure == "viewing")
  before <- said()
  score_run(viewing$trial$folder, again = TRUE)
  expect_equal(said(), before)
  undo_ballot(viewing, "ana")
  expect_lt(said(), before)
  expect_match(format(found), "Kept, of single takes", all = FALSE)
})

test_that("there must be something to compare", {
  expect_error(
    small_viewing(lineup = c(small_lineup[1:4])),
    "two pipelines",
    class = "sprenn_error_viewing"
  )
})

# Says something, and waits for the next showing or the end.
says <- function(window, key) {
  before <- window$shown()
  window$key(key)
  window$until(
    sprintf(
      paste0(
        "document.getElementById('viewing').dataset.shown !== '%s' || ",
        "!document.getElementById('end').hidden"
      ),
      before
    )
  )
}

# Whether the viewing closes a WebSocket that a page of this origin opens, within two seconds.
is_closed_to <- function(address, origin) {
  host <- sub("http://([^/]*)/.*", "\\1", address)
  path <- sub("http://[^/]*", "", address)
  talk <- socketConnection(
    "127.0.0.1",
    as.integer(sub(".*:", "", host)),
    open = "r+b",
    blocking = FALSE
  )
  on.exit(close(talk))
  writeBin(
    charToRaw(paste0(
      "GET ", path, "live HTTP/1.1\r\nHost: ", host, "\r\nOrigin: ", origin,
      "\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Version: 13",
      "\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n"
    )),
    talk
  )
  # A text frame that says nothing, masked with zeros.
  said <- charToRaw("{\"kind\":\"none\"}")
  Sys.sleep(0.5)
  try(writeBin(c(as.raw(c(0x81, 0x80 + length(said), 0, 0, 0, 0)), said), talk), silent = TRUE)
  Sys.sleep(1.5)
  got <- readBin(talk, "raw", 1e5)
  any(got == as.raw(0x88))
}

test_that(
  paste0(
    "two people judge at once in a real browser, one leaves midway and comes back, and all is as ",
    "they said"
  ),
  {
    skip_on_cran()
    folder <- small_trial(suite = change(small_suite, "[1, 2]", "[1, 2, 3]"))
    run_trial(folder)
    # The other process has no engine of these tests.
    writeLines(
      paste0(
        "sprenn::engine(list(name = 'mixer', version = '1', checkpoints = list(plain = list()), ",
        "hold = c(at_0 = 0, at_1 = 10)), function(request) stop('none'))"
      ),
      file.path(folder, "mixer.R")
    )
    viewing <- served_page("view_takes", folder, ballots = 6)
    expect_match(
      curl_text(sub("[^/]+/$", "wrong/", viewing$address)),
      "needs the complete address"
    )
    answer <- curl::curl_fetch_memory(viewing$address)
    headers <- curl::parse_headers_list(answer$headers)
    expect_match(headers$`content-security-policy`, "frame-ancestors 'none'", fixed = TRUE)
    expect_equal(headers$`referrer-policy`, "no-referrer")
    own <- sub("/[^/]+/$", "", viewing$address)
    expect_true(is_closed_to(viewing$address, "http://evil.invalid"))
    expect_true(is_closed_to(sub("[^/]+/$", "wrong/", viewing$address), own))
    expect_false(is_closed_to(viewing$address, own))
    ana <- window_on(viewing$address)
    ben <- window_on(viewing$address, ana)
    ana$enter("ana")
    ana$until("!document.getElementById('look').hidden")
    # A name has one person behind it.
    ben$enter("ana")
    ben$until("document.getElementById('refused').textContent.includes('judging already')")
    ben$enter("ben")
    ben$until("!document.getElementById('look').hidden")
    expect_accessible(ana, 8)
    expect_no_barriers(ana)
    # Nothing on the page says which pipeline made what.
    expect_false(ana$value("/firm|loose/.test(document.documentElement.outerHTML)"))
    expect_true(
      ana$value(paste0(
        "[...document.querySelectorAll('#stage img')].every(i => i.complete && i.naturalWidth ",
        "=== 96)"
      ))
    )
    for (key in c("ArrowLeft", "ArrowRight", "ArrowDown")) {
      says(ana, key)
      says(ben, "ArrowLeft")
    }

    # Undo shows the last pair again.
    says(ana, "u")
    expect_equal(ana$value("document.getElementById('count').textContent"), "3 of 6")
    # Ana closes her window; what she said is kept, and she goes on where she was.
    ana$page$close()
    for (i in 1:3) {
      says(ben, "ArrowRight")
    }

    ben$until("!document.getElementById('end').hidden")
    again <- window_on(viewing$address, ben)
    again$enter("ana")
    again$until("!document.getElementById('look').hidden")
    expect_equal(again$value("document.getElementById('count').textContent"), "3 of 6")
    for (i in 1:4) {
      says(again, "ArrowDown")
    }

    again$until("!document.getElementById('end').hidden")
    again$value("(document.getElementById('show').click(), true)")
    again$until("document.getElementById('results').innerText.includes('firm')")
    expect_accessible(again, 1)
    viewing$process$kill_tree()
    found <- read_viewing(folder)
    said <- function(name) found$ballots$choice[found$ballots$person == name]
    expect_equal(said("ana"), c("one", "other", rep("neither", 4)))
    expect_equal(said("ben"), rep(c("one", "other"), each = 3))
    expect_equal(found$strengths$shown, c(12, 12))
  }
)
