own_pictures <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  png::writePNG(scene(1, 120, 80), file.path(folder, "salt works.png"))
  write_drawing(scene(2, 60, 90), file.path(folder, "Signalmast \u00dc.jpg"))
  write_drawing(scene(3, 90, 60), file.path(folder, "tower.webp"))
  png::writePNG(scene(4, 20, 15), file.path(folder, "tiny.png"))
  folder
}

test_that("a folder of pictures becomes a trial that works without editing", {
  from <- own_pictures()
  writeLines("words", file.path(from, "notes.txt"))
  folder <- file.path(withr::local_tempdir(), "my-trial")
  made <- new_trial(folder, from = from, prompt = "a \"wood\" engraving: fine lines")
  expect_equal(names(made$left_out), "notes.txt")
  expect_setequal(names(made$renamed), c("salt works.png", "Signalmast \u00dc.jpg"))
  expect_equal(made$renamed[["salt works.png"]], "references/salt-works.png")
  trial <- read_trial(folder)
  expect_setequal(
    vapply(trial$suite$cases, `[[`, "", "id"),
    c("salt-works", "signalmast-u", "tower", "tiny")
  )
  expect_equal(trial$suite$cases[[1]]$prompt[[1]]$say, "a \"wood\" engraving: fine lines")
  plan <- plan_run(trial)
  expect_equal(nrow(plan$takes), 4 * 3 * 4)
  expect_match(plan$notes, "can be checked", all = FALSE)
})

test_that("a look given with the pictures is the look to reach", {
  folder <- file.path(withr::local_tempdir(), "my-trial")
  new_trial(folder, from = own_pictures(), look = picture_file(scene(8)))
  trial <- read_trial(folder)
  expect_equal(unique(vapply(trial$suite$cases, `[[`, "", "look")), "wanted")
  expect_equal(trial$brief$purposes[[1]]$style, "reach the look")
})

test_that("the command says under which names files are kept", {
  folder <- file.path(withr::local_tempdir(), "my-trial")
  run <- run_cli("new", folder, "--from", own_pictures())
  expect_equal(run$status, 0)
  expect_true("renamed salt works.png: it is references/salt-works.png" %in% run$out)
  expect_length(grep("^renamed ", run$out), 2)
  folder <- file.path(withr::local_tempdir(), "my-trial")
  told <- jsonlite::fromJSON(paste(
    run_cli("new", folder, "--from", own_pictures(), "--json")$out,
    collapse = ""
  ))
  expect_equal(told$renamed[["salt works.png"]], "references/salt-works.png")
})

test_that("names that end up alike are told apart", {
  plain <- plain_names
  expect_equal(
    plain(c("a b.png", "a_b.jpg", "\u00e9t\u00e9.png", "###.png")),
    c("a-b", "a-b-1", "ete", "picture")
  )
})

test_that("nothing is made where something is, or from nothing", {
  folder <- withr::local_tempdir()
  writeLines("mine", file.path(folder, "keep.txt"))
  expect_error(new_trial(folder, demo = TRUE), "not empty", class = "sprenn_error_new")
  expect_equal(list.files(folder), "keep.txt")
  target <- file.path(withr::local_tempdir(), "x")
  expect_error(
    new_trial(target, from = withr::local_tempdir()),
    "no usable picture",
    class = "sprenn_error_new"
  )
  expect_error(
    new_trial(target, from = "nowhere"),
    "no folder or file",
    class = "sprenn_error_new"
  )
  expect_error(
    new_trial(target, from = own_pictures(), look = "gone.png"),
    class = "sprenn_error_picture"
  )
  expect_error(new_trial(target), "one of these", class = "sprenn_error_new")
  expect_false(file.exists(target))
  expect_equal(list.files(dirname(target), all.files = TRUE, no.. = TRUE), character())
})

test_that("the demo trial is sound, and holds what it promises", {
  folder <- file.path(withr::local_tempdir(), "demo")
  new_trial(folder, demo = TRUE)
  trial <- read_trial(folder)
  expect_setequal(vapply(trial$suite$cases, `[[`, "", "job"), jobs)
  expect_equal(nrow(check_trial(trial$folder)), 0)
  expect_length(trial$suite$seeds, 2)
  expect_gte(nrow(trial$lineup$pipelines), 4)
  expect_setequal(
    names(trial$lineup$engines),
    c("yarrow", "bracken", "quince", "teasel", "sorrel", "madder", "burdock", "handmade")
  )
  expect_true("hold" %in% trial$lineup$pipelines$vary)
  formats <- vapply(
    list.files(file.path(folder, "references"), full.names = TRUE),
    function(file) {
      picture_facts(readBin(file, "raw", 1e6))$format
    },
    ""
  )
  expect_setequal(formats, c("png", "jpeg", "webp", "tiff"))
  other <- file.path(withr::local_tempdir(), "demo")
  new_trial(other, demo = TRUE)
  expect_identical(plan_run(other)$takes$take, plan_run(folder)$takes$take)
})

test_that("a suite made of pictures is named after the trial's folder", {
  pictures <- withr::local_tempdir()
  picture_file <- file.path(pictures, "a.png")
  png::writePNG(scene(1, 96, 64), picture_file)
  named <- function(name) {
    folder <- file.path(withr::local_tempdir(), name)
    new_trial(folder, from = pictures)
    read_trial(folder)$suite$suite
  }

  expect_equal(named("spring tiles"), "spring-tiles")
  expect_equal(named("K\u00fcste_2"), "kuste-2")
  expect_equal(named("\u6d77"), "picture")
})

test_that("a trial that leaves the measures little to go by is warned, and others are not", {
  case <- function(id, job, look = NA_character_, watch = list()) {
    list(id = id, job = job, look = look, watch = watch)
  }

  trial <- function(cases, seeds = 1:2, pipelines = 2) {
    list(
      suite = list(cases = cases, seeds = seeds),
      lineup = list(
        pipelines = tibble::tibble(
          jobs = rep(list(c("restyle", "repair")), pipelines),
          follows = rep(NA_character_, pipelines)
        )
      )
    )
  }

  weak <- weak_spots
  told <- weak(
    trial(list(case("a", "restyle"), case("b", "repair")), seeds = 1, pipelines = 1)
  )
  expect_length(told, 3)
  expect_match(told[1], "look of a:")
  expect_match(told[2], "watched in a:")
  expect_match(told[3], "Fewer than 3 takes of b")
  whole <- case("a", "restyle", "wanted", list(face = c(0, 0, 1, 1)))
  expect_null(weak(trial(list(whole, case("b", "repair")))))
  # Only the cases that count.
  expect_length(weak(trial(list(whole, case("c", "fresh"))), list(case("c", "fresh"))), 1)
})
