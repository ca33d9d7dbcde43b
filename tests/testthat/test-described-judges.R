# Judges on services that are described: how they are asked, and how their answers are read.

skip_if_not_installed("webfakes")

# A service that looks whether a picture is bright. One address answers in words, one in numbers
# from 0 to 100 for several claims at once.
bright_app <- function() {
  app <- webfakes::new_app()
  app$use(webfakes::mw_json(limit = "20mb"))
  light_of <- function(text) {
    mean(png::readPNG(openssl::base64_decode(sub("^data:[^,]*,", "", text))))
  }
  app$locals$light_of <- light_of
  app$post("/ask", function(request, response) {
    if (!identical(request$get_header("Authorization"), "Token opensesame")) {
      response$set_status(401)
      return(response$send_json(list(problem = "no key"), auto_unbox = TRUE))
    }

    light <- request$app$locals$light_of(request$json$picture)
    question <- request$json$question
    is_dark <- xor(grepl("dark", question), grepl("not the case", question))
    reply <- if (grepl("riddle", question)) {
      "That depends."
    } else if (xor(light > 0.5, is_dark)) {
      "Yes, it is."
    } else {
      "No."
    }
    response$send_json(list(reply = reply), auto_unbox = TRUE)
  })
  app$post("/rate", function(request, response) {
    light <- request$app$locals$light_of(request$json$picture)
    ratings <- lapply(request$json$claims, function(claim) {
      list(sure = 100 * (if (grepl("dark", claim)) 1 - light else light))
    })
    response$send_json(list(ratings = ratings), auto_unbox = TRUE)
  })
  app
}

bright_at <- function(address, call = "POST /ask") {
  list(
    kind = "answering",
    address = address,
    version = "2",
    key = "BRIGHT_KEY",
    key_scheme = "Token",
    question = list(
      call = call,
      json = list(picture = "{picture.data_url}", question = "Is this so: {statement}?")
    ),
    answer = list(at = "$.reply", yes = list("yes"), no = list("no"))
  )
}

pictures_shown <- function() {
  lapply(c(0.9, 0.1), function(light) list(pixels = array(light, c(8, 12, 3)), sha256 = "x"))
}

test_that("a described judge is asked statement by statement, and its words are read", {
  withr::local_envvar(BRIGHT_KEY = "opensesame")
  address <- local_service(bright_app())
  judge <- described_judge(bright_at(address), "bright")
  said <- drive(judge$ask(pictures_shown(), c("it is bright", "it is dark", "it is light")))
  expect_equal(said, rbind(c(1, 0, 1), c(0, 1, 0)))
  expect_equal(judge$version(), "2")
  failed <- tryCatch(drive(judge$ask(pictures_shown(), "a riddle")), sprenn_failure = identity)
  expect_match(conditionMessage(failed), "That depends.*neither yes nor no")
  withr::local_envvar(BRIGHT_KEY = "wrong")
  failed <- tryCatch(drive(judge$ask(pictures_shown(), "x")), sprenn_failure = identity)
  expect_equal(failed$kind, "bad_request")
})

test_that("or about all statements at once, with numbers on the service's own scale", {
  withr::local_envvar(BRIGHT_KEY = "opensesame")
  address <- local_service(bright_app())
  wanted <- bright_at(address, "POST /rate")
  wanted$question$json <- list(
    picture = "{picture.base64}",
    claims = list(each = "statements", of = "{statement}")
  )
  wanted$answer <- list(at = "$.ratings[*].sure", to = 100)
  judge <- described_judge(wanted, "bright")
  said <- drive(judge$ask(pictures_shown(), c("it is bright", "it is dark")))
  expect_equal(said, rbind(c(0.9, 0.1), c(0.1, 0.9)), tolerance = 0.01)
  wanted$answer$at <- "$.ratings[0].sure"
  failed <- tryCatch(
    drive(described_judge(wanted, "bright")$ask(pictures_shown(), c("a", "b"))),
    sprenn_failure = identity
  )
  expect_match(conditionMessage(failed), "2 questions with 1 value")
})

test_that("brief.yml names described judges, and their templates are checked", {
  withr::local_envvar(BRIGHT_KEY = "opensesame")
  address <- local_service(bright_app())
  brief_with <- function(entry) c(small_brief, "judges:", paste0("  bright: ", to_json(entry)))
  folder <- small_trial(brief = brief_with(bright_at(address)))
  listed <- list_judges(folder)
  expect_equal(listed$kind, "answering")
  expect_equal(listed$version, "2")
  answers <- try_judges(folder)$answers
  expect_true(all(answers$value >= 0 & answers$value <= 1))
  entry <- bright_at(address)
  entry$question$json <- list(question = "{statment}")
  folder <- small_trial(brief = brief_with(entry))
  problems <- tryCatch(read_trial(folder), sprenn_error_trial = function(e) e$problems)
  expect_setequal(
    problems$place,
    paste0("judges.bright.question", c("", ".json.question"))
  )
  expect_equal(stats::na.omit(problems$near)[1], "statement")
  entry <- bright_at(address)
  entry$version <- NULL
  folder <- small_trial(brief = brief_with(entry))
  problems <- tryCatch(read_trial(folder), sprenn_error_trial = function(e) e$problems)
  expect_match(problems$wanted, "version, as there is question")
})
