test_that("the launcher starts this R and this package, with completions beside it", {
  skip_on_os("windows")
  prefix <- withr::local_tempdir()
  folder <- file.path(prefix, "my bin")
  said <- testthat::capture_messages(files <- install_launcher(folder))
  expect_equal(files[1], file.path(folder, "sprenn"))
  expect_match(said, "The launcher is ", all = FALSE)
  expect_match(said, "is not on the search path", all = FALSE)
  expect_true(all(file.exists(files)))
  # Without a search path that has R, and without the tests' libraries.
  made <- processx::run(
    file.path(folder, "sprenn"),
    "help",
    env = c("current", R_LIBS = "", PATH = "/usr/bin:/bin")
  )
  expect_equal(made$status, 0)
  expect_match(made$stdout, "sprenn mark", fixed = TRUE)
  expect_match(readLines(grep("bash", files, value = TRUE)), "-F _sprenn sprenn", all = FALSE)
  expect_match(readLines(grep("man1", files, value = TRUE)), "sprenn", all = FALSE)
  # Put where commands are looked for, it says nothing of that.
  withr::local_envvar(PATH = paste0(folder, ":", Sys.getenv("PATH")))
  expect_no_match(testthat::capture_messages(install_launcher(folder)), "search path")
})

test_that("the launcher for Windows names Rscript, passes arguments on and exits as they do", {
  lines <- cmd_launcher()
  expect_equal(lines[1], "@echo off")
  expect_match(lines, paste0("\"", rscript_path(), "\" .*%[*]$"), all = FALSE)
  expect_match(lines, "sprenn::sprenn_command(commandArgs(TRUE))", fixed = TRUE, all = FALSE)
  expect_match(lines, "R_PROFILE_USER", all = FALSE)
  expect_equal(lines[length(lines)], "exit /b %ERRORLEVEL%")
})

test_that("a folder that can't be had is an error", {
  file <- withr::local_tempfile(lines = "x")
  expect_error(install_launcher(file.path(file, "bin")), class = "sprenn_error_file")
  expect_error(install_launcher(""), class = "sprenn_error_argument")
})
