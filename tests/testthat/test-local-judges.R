# Judges that run on this machine: what they lack, how they start and end, and what they say.

skip_without_node <- function() {
  testthat::skip_on_cran()
  testthat::skip_on_os("windows")
  testthat::skip_if(!nzchar(Sys.which("node")), "Node.js is not here")
}

# A program that stands in for tesseract: it does what `script` says.
local_tesseract <- function(script, env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  program <- file.path(folder, "tesseract")
  languages <- "test \"$1\" = --list-langs && echo eng && exit"
  version <- "test \"$1\" = --version && echo 'tesseract 5.9.1' && exit"
  writeLines(c("#!/bin/sh", version, languages, script), program)
  Sys.chmod(program, "755")
  withr::local_envvar(PATH = paste0(folder, ":", Sys.getenv("PATH")), .local_envir = env)
}

# Its table: a level, eight columns of place, how sure, and the word.
reads_ferry <- c(
  "cat > /dev/null",
  "printf 'level\\tpage\\tblock\\tpar\\tline\\tword\\tleft\\ttop\\twidth\\theight'",
  "printf '\\tconf\\ttext\\n'",
  "printf '5\\t1\\t1\\t1\\t1\\t1\\t120\\t60\\t600\\t300\\t93.5\\tFERRY\\n'",
  "printf '5\\t1\\t1\\t1\\t1\\t2\\t0\\t0\\t1\\t1\\t-1\\t \\n'"
)

letters_judge <- function() local_judge(list(kind = "local"), "letters")

# What a judge finds in one grey picture, or the problem.
look_once <- function(judge, pixels = array(0.5, c(60, 120, 3))) {
  found <- NULL
  job <- list(
    subjects = list(list(sha256 = "one")),
    statements = character(),
    pixels = function(subject) pixels
  )
  problem <- interview(list(job), judge, function(job, said) found <<- said[[1]])
  if (is.null(problem)) found else problem
}

test_that("the judges that can be installed are those that a brief may name", {
  expect_setequal(names(local_judges), local_judge_names)
  listed <- list_local_judges()
  expect_equal(listed$judge, names(local_judges))
  expect_equal(is.na(listed$lacks), listed$installed)
  folder <- system.file("judges", package = "sprenn")
  for (name in listed$judge) {
    expect_true(file.exists(file.path(folder, paste0(name, ".mjs"))))
  }
})

test_that("packages are pinned by version and hash, without any address", {
  folder <- system.file("judges", "people", package = "sprenn")
  lock <- jsonlite::read_json(file.path(folder, "package-lock.json"))$packages
  packages <- lock[nzchar(names(lock))]
  expect_true(all(vapply(packages, function(one) startsWith(one$integrity, "sha512-"), NA)))
  expect_true(all(vapply(packages, function(one) is.null(one$resolved), NA)))
  wanted <- jsonlite::read_json(file.path(folder, "package.json"))$dependencies
  expect_match(unlist(wanted), "^[0-9.]+$")
  expect_match(local_judges$people$version, wanted[["@vladmandic/human"]], fixed = TRUE)
  nets <- unlist(jsonlite::read_json(file.path(folder, "nets.json")))
  expect_match(nets, "^[0-9a-f]{64}$")
})

test_that("what a judge lacks is said, and the run goes on without it", {
  skip_on_os("windows")
  nowhere <- withr::with_envvar(c(PATH = "/nowhere"), lacks_locally("people"))
  expect_match(nowhere, "needs Node.js, which is not on this machine")
  old <- withr::local_tempdir()
  writeLines(c("#!/bin/sh", "echo v12.22.1"), file.path(old, "node"))
  Sys.chmod(file.path(old, "node"), "755")
  withr::local_envvar(PATH = paste0(old, ":", Sys.getenv("PATH")))
  expect_match(lacks_locally("people"), "18.3.0 or later; this machine has 12.22.1")
  expect_match(conditionMessage(look_once(letters_judge())), "can't start: it needs Node.js")
  folder <- small_trial(brief = c(small_brief, "judges: {people: {kind: local}}"))
  expect_match(list_judges(folder)$problem, "needs Node.js")
  expect_match(plan_run(folder)$notes, "What people would tell has no evidence", all = FALSE)
  made <- run_trial(folder)
  expect_match(made$judged$problem, "needs Node.js")
  expect_true(all(made$takes$state == "made"))
})

test_that("one that is not installed, or in another version, says how to install it", {
  skip_without_node()
  data <- withr::local_tempdir()
  withr::local_envvar(R_USER_DATA_DIR = data)
  expect_match(lacks_locally("people"), "it is not installed; `sprenn judges --install people`")
  dir.create(file.path(dirname(local_folder("people")), "people-0-1.0.0"), recursive = TRUE)
  expect_match(lacks_locally("people"), "it is installed in another version")
})

test_that("a failed installation changes nothing and says why", {
  skip_without_node()
  data <- withr::local_tempdir()
  programs <- withr::local_tempdir()
  npm <- file.path(programs, "npm")
  writeLines(c("#!/bin/sh", "echo 'npm error code ENOTFOUND' >&2", "exit 1"), npm)
  Sys.chmod(npm, "755")
  withr::local_envvar(
    R_USER_DATA_DIR = data,
    PATH = paste0(programs, ":", Sys.getenv("PATH"))
  )
  said <- character()
  expect_error(
    install_judges("people", function(line) said <<- c(said, line)),
    "ENOTFOUND",
    class = "sprenn_error_install"
  )
  expect_match(said, "finds people", all = FALSE)
  expect_match(said, "MIT", all = FALSE)
  expect_equal(list.files(data, recursive = TRUE), character())
  expect_error(install_judges("parrots"), class = "sprenn_error_argument")
})

test_that("lettering is found by a server that is started and ended for it", {
  skip_without_node()
  local_tesseract(reads_ferry)
  judge <- letters_judge()
  withr::defer(judge$close())
  expect_equal(judge$version(), "letters 3-5.9.1")
  found <- look_once(judge)
  expect_equal(found$words$said, "FERRY")
  expect_equal(found$words$sure, 0.935)
  # A picture of 120 x 60 is enlarged to 1600 x 800 for it.
  places <- c(120 / 1600, 60 / 800, 720 / 1600, 360 / 800)
  expect_equal(unlist(found$words[box_names], use.names = FALSE), places)
  expect_null(found$faces)
  expect_equal(finding_in_words(found), "reads \"FERRY\"")
  servers <- function() {
    Filter(
      function(one) any(grepl("serve.mjs", unlist(ps::ps_cmdline(one)), fixed = TRUE)),
      ps::ps_children()
    )
  }
  expect_length(servers(), 1)
  # Killed in the middle, it is started again.
  ps::ps_kill(servers()[[1]])
  expect_equal(look_once(judge)$words$said, "FERRY")
  judge$close()
  expect_length(servers(), 0)
})

test_that("a program that fails is a failure of the judge, with what it said", {
  skip_without_node()
  local_tesseract(
    c("cat > /dev/null", "echo 'Error opening data file eng.traineddata' >&2", "exit 1")
  )
  judge <- letters_judge()
  withr::defer(judge$close())
  judge$version()
  turn <- judge$ask(list(list(sha256 = "one", pixels = array(0.5, c(60, 120, 3)))), character())
  said <- fetch_call(turn$call)
  expect_equal(said$status, 500)
  expect_match(rawToChar(said$body), "eng.traineddata")
})

test_that("a judge ends with its parent if it is told to, and else stays up", {
  skip_without_node()
  local_tesseract(reads_ferry)
  serve <- system.file("judges", "serve.mjs", package = "sprenn")
  started <- function(...) {
    process <- processx::process$new("node", c(serve, "letters", ...), stdin = "|", stdout = "|")
    said <- character()
    while (!length(said) && process$is_alive()) {
      process$poll_io(1000)
      said <- process$read_output_lines()
    }

    expect_match(said, "^ready [0-9]+$")
    process
  }
  tied <- started("--with-parent")
  free <- started()
  withr::defer(free$kill())
  close(tied$get_input_connection())
  close(free$get_input_connection())
  tied$wait(10000)
  expect_false(tied$is_alive())
  expect_true(free$is_alive())
})

test_that("a judge that does not start says why, and is not installed", {
  skip_without_node()
  data <- withr::local_tempdir()
  withr::local_envvar(R_USER_DATA_DIR = data)
  # Packages that npm put together, and that have no net.
  dir.create(file.path(local_folder("people"), "node_modules"), recursive = TRUE)
  said <- conditionMessage(look_once(local_judge(list(kind = "local"), "people")))
  expect_match(said, "The judge people did not start. It said: .*no such file")
  local_tesseract("exit 1")
  none <- sub("echo eng", "echo deu", readLines(Sys.which("tesseract")))
  writeLines(none, Sys.which("tesseract"))
  expect_match(why_not_started("letters"), "no data for English")
  expect_error(
    install_judges("letters", function(line) NULL),
    "no data for English",
    class = "sprenn_error_install"
  )
})

test_that("versions are those that the servers say", {
  folder <- system.file("judges", package = "sprenn")
  said <- function(name) {
    lines <- readLines(file.path(folder, paste0(name, ".mjs")))
    sub(".*version = [\"`]([^\"`$]*).*", "\\1", grep("^export const version", lines, value = TRUE))
  }
  expect_equal(said("people"), local_judges$people$version)
  expect_equal(said("letters"), paste0(local_judges$letters$version, "-"))
})

test_that("the server refuses what it can't answer", {
  skip_without_node()
  local_tesseract(reads_ferry)
  server <- LocalServer$new("letters")
  withr::defer(server$stop())
  address <- server$address()
  post <- function(body, ...) {
    handle <- curl::new_handle(postfields = body, httpheader = c(...))
    curl::curl_fetch_memory(paste0(address, "/v2/models/letters/infer"), handle)
  }
  said <- function(answer) jsonlite::parse_json(rawToChar(answer$content))
  expect_match(said(post("{"))$error, "no JSON")
  expect_match(said(post("{\"inputs\": []}"))$error, "picture is missing")
  small <- paste0(
    "{\"id\": \"7\", \"inputs\": [{\"name\": \"picture\", \"datatype\": \"UINT8\", ",
    "\"shape\": [1, 1, 2, 3], \"data\": [0, 0, 0, 255, 255, 255]}]%s}"
  )
  expect_equal(said(post(sprintf(small, "")))$outputs[[1]]$data, list("FERRY"))
  expect_equal(said(post(sprintf(small, "")))$id, "7")
  wrong <- post(sprintf(small, ", \"outputs\": [{\"name\": \"mood\"}]"))
  expect_equal(wrong$status_code, 400)
  expect_match(said(wrong)$error, "no output mood")
  expect_match(said(post(sub("1, 1, 2, 3", "1, 9, 9, 3", sprintf(small, ""))))$error, "values")
  expect_equal(post(sprintf(small, ""), "Host: example.org")$status_code, 403)
  metadata <- said(curl::curl_fetch_memory(paste0(address, "/v2/models/letters")))
  expect_equal(metadata$versions, list("3-5.9.1"))
  expect_equal(
    curl::curl_fetch_memory(paste0(address, "/v2/models/parrots"))$status_code,
    404
  )
})

test_that("people are found where the judge is installed", {
  skip_without_node()
  skip_if(!is.null(lacks_locally("people")), "the judge people is not installed")
  judge <- local_judge(list(kind = "local"), "people")
  withr::defer(judge$close())
  found <- look_once(judge, array(0.5, c(120, 160, 3)))
  expect_equal(finding_in_words(found), "0 people, 0 faces, 0 figures")
})
