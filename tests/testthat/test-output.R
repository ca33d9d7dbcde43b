# Whatever is written appears whole or not at all.

parts_in <- function(folder) {
  list.files(folder, "^[.]sprenn-", all.files = TRUE, recursive = TRUE)
}

test_that("a file is replaced whole, or stays as it was", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "caf\u00e9 100%d.txt")
  write_lines(c("one", "caf\u00e9"), file)
  expect_equal(readLines(file, encoding = "UTF-8"), c("one", "caf\u00e9"))
  Sys.chmod(file, "600")
  failing <- function(part) {
    writeLines("half", part)
    FALSE
  }
  expect_error(write_outputs(file, failing, kept = "It is as it was."), class = "sprenn_error_file")
  expect_error(write_outputs(file, function(part) stop("own words")), "own words")
  expect_equal(readLines(file, encoding = "UTF-8"), c("one", "caf\u00e9"))
  expect_length(parts_in(folder), 0)
})

test_that("several files take their places together", {
  folder <- withr::local_tempdir()
  files <- file.path(folder, c("a.csv", "b.csv"))
  expect_error(write_outputs(files, function(parts) write_lines("x", parts[1])))
  expect_length(list.files(folder, all.files = TRUE, no.. = TRUE), 0)
  write_outputs(files, function(parts) {
    write_lines("a", parts[1])
    write_lines("b", parts[2])
  })
  expect_equal(vapply(files, readLines, "", USE.NAMES = FALSE), c("a", "b"))
})

test_that("what can't be written is said with its reason", {
  folder <- withr::local_tempdir()
  expect_error(write_lines("x", file.path(folder, "none", "x.txt")), "There is no folder")
  dir.create(file.path(folder, "x.txt"))
  expect_error(write_lines("x", file.path(folder, "x.txt")), "in the way")
  expect_error(write_lines("x", "/proc/x.txt"), "read-only", class = "sprenn_error_file")
  expect_error(write_lines("x", "/dev/null"), "device", class = "sprenn_error_file")
  expect_true(is_special("/dev/null"))
})

test_that("a full disk is said to be one, and what was there stays", {
  skip_on_cran()
  disk <- small_disk(1)
  write_lines("before", file.path(disk, "x.txt"))
  heap <- as.raw(sample(0:255, 2e6, replace = TRUE))
  expect_error(write_bytes(heap, file.path(disk, "x.txt")), "full", class = "sprenn_error_file")
  source <- withr::local_tempfile(fileext = ".bin")
  write_bytes(heap, source)
  expect_error(write_copy(source, file.path(disk, "x.txt")), "full")
  expect_error(
    write_zip(file.path(disk, "x.zip"), dirname(source), basename(source), "pack"),
    "full",
    class = "sprenn_error_pack"
  )
  table <- data.frame(x = seq_len(1e6) / 7)
  expect_error(
    write_outputs(file.path(disk, "x.parquet"), function(part) {
      nanoparquet::write_parquet(table, part)
      ends_whole(part)
    }),
    "full"
  )
  expect_error(
    write_folder(file.path(disk, "tables"), function(building) {
      write_bytes(heap, file.path(building, "x.csv"))
    }),
    "tables/x.csv.*full"
  )
  expect_equal(list.files(disk, all.files = TRUE, no.. = TRUE), "x.txt")
  expect_equal(readLines(file.path(disk, "x.txt")), "before")
})

test_that("drawings go where they belong, whatever the path", {
  folder <- withr::local_tempdir("100%d")
  file <- file.path(folder, "%s.png")
  figure <- ggplot2::ggplot(data.frame(x = 1, y = 1), ggplot2::aes(x, y)) +
    ggplot2::geom_point()
  save_figure(figure, file)
  expect_equal(list.files(folder), "%s.png")
  expect_true(ends_whole(file))
  writeBin(utils::head(read_bytes(file), -20), file.path(folder, "cut.png"))
  expect_false(ends_whole(file.path(folder, "cut.png")))
})

test_that("a folder takes the old one's place in one step", {
  root <- withr::local_tempdir()
  folder <- file.path(root, "tables")
  fill <- function(...) {
    function(building) {
      for (name in c(...)) {
        write_lines(name, file.path(building, name))
      }

      length(c(...))
    }
  }
  expect_equal(write_folder(folder, fill("a", "b")), 2)
  before <- file.info(folder)$mtime
  write_folder(folder, fill("a", "b", "c"))
  expect_equal(list.files(folder), c("a", "b", "c"))
  # What was not written by this stays.
  write_lines("mine", file.path(folder, "notes"))
  write_folder(folder, fill("a", "d"))
  expect_equal(list.files(folder), c("a", "b", "c", "d", "notes"))
  # If all may go, nothing old is left.
  write_folder(folder, fill("e"), may_go = function(files) TRUE)
  expect_equal(list.files(folder), "e")
  expect_equal(list.files(root, all.files = TRUE, no.. = TRUE), "tables")
  # A failure leaves the old one, and names the file as it would be.
  expect_error(
    write_folder(folder, function(building) write_lines("x", file.path(building, "no", "x"))),
    file.path(folder, "no", "x"),
    fixed = TRUE
  )
  expect_equal(list.files(folder), "e")
})

test_that("a folder that somebody works in stays what it is", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  write_folder(".", function(building) write_lines("a", file.path(building, "a")))
  write_folder(".", function(building) write_lines("b", file.path(building, "a")))
  expect_equal(readLines("a"), "b")
  expect_equal(normalizePath(getwd()), normalizePath(folder))
})

test_that("what a killed process left is removed by the next", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "sheet.png")
  code <- paste0(
    "utils::getFromNamespace('write_outputs', 'sprenn')('", file, "', function(part) { ",
    "writeLines('half', part); Sys.sleep(60) })"
  )
  killed <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code))
  withr::defer(killed$kill())
  wait_until(length(parts_in(folder)) == 1)
  # While it runs its part stays.
  write_bytes(as.raw(1), file)
  expect_length(parts_in(folder), 1)
  killed$kill()
  killed$wait()
  write_bytes(as.raw(2), file)
  expect_equal(read_bytes(file), as.raw(2))
  expect_length(parts_in(folder), 0)
})

# The calls in an expression that write to a file when they are given a path.
writing_calls <- function(expression) {
  if (!is.call(expression)) {
    return(if (is.pairlist(expression) || is.expression(expression)) {
      unlist(lapply(as.list(expression), writing_calls))
    })
  }

  head <- expression[[1]]
  name <- if (is.call(head) && length(head) == 3) as.character(head[[3]]) else as.character(head)
  inner <- unlist(lapply(as.list(expression), writing_calls))
  # htmltools has a tag for some of the names.
  if (length(name) != 1 || grepl("tags", deparse1(head))) {
    return(inner)
  }

  second <- if (length(expression) > 2) deparse1(expression[[3]]) else ""
  writes <- name %in% always_write ||
    (name == "file" && grepl("[wa]", second)) ||
    (name %in% c("writeBin", "writeLines") && !second %in% c("", "raw()")) ||
    (name == "writePNG" && nzchar(second)) ||
    (name == "image_write" && length(expression) > 2 && names(expression)[3] %in% c("", "path"))
  c(if (writes) name, inner)
}

always_write <- c(
  "gzfile", "saveRDS", "save", "dput", "dump", "sink", "file.copy", "file.create", "file.rename",
  "file.append", "agg_png", "svg", "cairo_pdf", "ggsave", "write.table", "write.csv",
  "write_parquet", "zip", "unzip", "write_yaml", "download.file", "curl_fetch_disk"
)

# Who may write in another way than by base-output.R, and why.
writes_itself <- c(
  # Into a folder of this process that goes with it.
  "engine-command.R writeBin", "store-open.R file.copy", "trial-pack.R unzip",
  # A log, to which lines are added.
  "run-status.R file", "run-status.R writeLines",
  # A whole file goes to another place.
  "run-check.R file.rename",
  # Into a folder beside the place that it is renamed to.
  "judge-local.R file.copy", "judge-local.R file.rename",
  # To a path that base-output.R gave.
  "figure-theme.R ggsave", "sheet-card.R agg_png", "sheet-draw.R agg_png", "sheet-draw.R cairo_pdf",
  "sheet-draw.R svg", "report-html.R file", "report-html.R writeBin",
  "result-export.R write_parquet", "trial-pack.R zip"
)

test_that("nothing is written in any other way", {
  skip_if_not(dir.exists(test_path("..", "..", "R")))
  files <- list.files(test_path("..", "..", "R"), "[.]R$", full.names = TRUE)
  # Stand-ins keep their own accounts, as the services that they stand for.
  files <- files[!grepl("^(standin-|base-output|RcppExports)", basename(files))]
  found <- unlist(lapply(files, function(file) {
    paste(rep(basename(file), 1), writing_calls(parse(file, keep.source = FALSE)))
  }))
  found <- found[!grepl(" $", found)]
  expect_setequal(found, writes_itself)
  code <- quote(f <- function(x) c(png::writePNG(x, p), writeBin(x, raw()), file(p, open = "wb")))
  expect_equal(writing_calls(code), c("writePNG", "file"))
  src <- test_path("..", "..", "src")
  sources <- list.files(src, "[.](cpp|h)$", recursive = TRUE, full.names = TRUE)
  compiled <- unlist(lapply(sources, readLines))
  expect_false(any(grepl("ofstream|fopen|O_WRONLY|O_RDWR|O_CREAT", compiled)))
})
