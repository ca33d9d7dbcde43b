table_folder <- function(lines, env = parent.frame(), name = "cases.csv") {
  folder <- withr::local_tempdir(.local_envir = env)
  dir.create(file.path(folder, "pics"))
  for (name_of in c("mill", "sea", "half")) {
    png::writePNG(
      if (name_of == "half") {
        cbind(matrix(1, 64, 48), matrix(0, 64, 48))
      } else {
        scene(nchar(name_of))
      },
      file.path(folder, "pics", paste0(name_of, ".png"))
    )
  }

  if (!is.null(lines)) {
    writeLines(enc2utf8(lines), file.path(folder, name), useBytes = TRUE)
  }

  file.path(folder, name)
}

made_from <- function(from, ..., env = parent.frame()) {
  folder <- file.path(withr::local_tempdir(.local_envir = env), "made")
  new_trial(folder, from = from, ...)
  folder
}

full_table <- c(
  paste0(
    "id,reference,reference.fit,reference.focus,prompt,negative,look,mask,mask.feather,",
    "mask.invert,grow.right,guides.edges,watch.sails.box"
  ),
  paste0(
    "mill,pics/mill.png,pad,0.4 0.6,a mill|two kites,lettering|a frame,",
    "pics/sea.png|pics/mill.png,,,,,0.7,0.1 0.2 0.5 0.9"
  ),
  paste0(
    ",pics/sea.png,,,\"the \u00dcbersee, at \"\"dusk\"\"\",,",
    "pics/sea.png|pics/mill.png,pics/half.png,6,true,,,"
  ),
  ",pics/sea.png,,,wider,,,,,,0.3,,",
  "dream,,,,,,,,,,,,"
)

test_that("a table becomes a trial, one row a case, every column in its place", {
  trial <- read_trial(made_from(table_folder(full_table), prompt = "an island"))
  cases <- trial$suite$cases
  expect_equal(vapply(cases, `[[`, "", "id"), c("mill", "sea", "sea-1", "dream"))
  expect_equal(vapply(cases, `[[`, "", "job"), c("restyle", "edit", "extend", "fresh"))
  expect_equal(cases[[1]]$reference[c("fit", "focus")], list(fit = "pad", focus = c(0.4, 0.6)))
  expect_equal(vapply(cases[[1]]$prompt, `[[`, "", "say"), c("a mill", "two kites"))
  expect_equal(cases[[1]]$negative, c("lettering", "a frame"))
  expect_equal(cases[[1]]$guides$edges$weight, 0.7)
  expect_equal(cases[[1]]$watch$sails$box, c(0.1, 0.2, 0.5, 0.9))
  expect_equal(cases[[2]]$prompt[[1]]$say, "the \u00dcbersee, at \"dusk\"")
  expect_equal(cases[[2]]$mask[c("feather", "invert")], list(feather = 6, invert = TRUE))
  expect_equal(cases[[3]]$grow[["right"]], 0.3)
  expect_equal(cases[[4]]$prompt[[1]]$say, "an island")
  expect_equal(names(trial$suite$looks), "sea")
  expect_length(trial$suite$looks$sea, 2)
  expect_setequal(
    list.files(trial$folder, recursive = TRUE),
    c(
      "brief.yml", "lineup.yml", "looks/mill.png", "looks/sea.png", "masks/half.png",
      "references/mill.png", "references/sea.png", "suite.yml"
    )
  )
})

test_that("semicolons, tabs, CRLF, a byte order mark and Parquet give the same suite", {
  plain <- gsub(",\"the \u00dcbersee, at \"\"dusk\"\"\",", ",the \u00dcbersee,", full_table)
  first <- readLines(file.path(made_from(table_folder(plain)), "suite.yml"))
  for (by in c(";", "\t")) {
    expect_equal(
      readLines(file.path(made_from(table_folder(gsub(",", by, plain))), "suite.yml")),
      first
    )
  }

  file <- table_folder(NULL)
  writeBin(
    charToRaw(enc2utf8(paste0("\ufeff", paste(plain, collapse = "\r\n"), "\r\n"))),
    file
  )
  expect_equal(readLines(file.path(made_from(file), "suite.yml")), first)
  parquet <- table_folder(NULL, name = "cases.parquet")
  data <- utils::read.csv(text = plain, check.names = FALSE, encoding = "UTF-8")
  nanoparquet::write_parquet(data, parquet)
  expect_equal(readLines(file.path(made_from(parquet), "suite.yml")), first)
})

test_that("all that is wrong with a table is told by row and column, and nothing is made", {
  wrong <- full_table
  wrong[2] <- sub("pad", "squash", wrong[2])
  wrong[2] <- sub("0.7", "7", wrong[2])
  wrong[3] <- sub("pics/half.png", "pics/haf.png", wrong[3])
  wrong[4] <- sub("0.3", "wide", wrong[4])
  wrong[5] <- sub("dream", "mill", wrong[5])
  file <- table_folder(wrong)
  folder <- file.path(withr::local_tempdir(), "made")
  error <- expect_error(new_trial(folder, from = file), class = "sprenn_error_new")
  expect_setequal(
    paste(error$problems$line, error$problems$place),
    c(
      "2 column reference.fit",
      "2 column guides.edges",
      "3 column mask",
      "4 column grow.right",
      "5 column id"
    )
  )
  expect_false(file.exists(folder))
  misspelt <- expect_error(
    new_trial(folder, from = table_folder(sub("negative", "negativ", full_table))),
    class = "sprenn_error_new"
  )
  expect_equal(misspelt$problems$near, "negative")
})

test_that("files that are no table are refused with the reason", {
  refuse <- function(bytes, found) {
    file <- withr::local_tempfile(fileext = ".csv")
    writeBin(bytes, file)
    expect_error(
      new_trial(file.path(tempdir(), "never"), from = file),
      found,
      class = "sprenn_error_new"
    )
  }

  refuse(raw(), "empty file")
  refuse(as.raw(c(0x61, 0, 0xff)), "not UTF-8")
  refuse(charToRaw("PAR1 and then nothing"), "damaged Parquet")
  refuse(charToRaw("id,prompt\n"), "no rows")
  refuse(charToRaw("id,prompt\na,b,c,d\n"), "elements|columns")
  expect_false(file.exists(file.path(tempdir(), "never")))
})

test_that("another trial is copied whole, or lends what is not its pictures", {
  folder <- file.path(withr::local_tempdir(), "demo")
  new_trial(folder, demo = TRUE, cases = 3)
  copy <- file.path(withr::local_tempdir(), "copy")
  new_trial(copy, like = folder)
  files <- function(folder) sort(list.files(folder, recursive = TRUE))
  expect_equal(files(copy), files(folder))
  expect_equal(
    unname(tools::md5sum(file.path(copy, files(copy)))),
    unname(tools::md5sum(file.path(folder, files(folder))))
  )
  lent <- file.path(withr::local_tempdir(), "lent")
  new_trial(lent, from = dirname(file.path(folder, "references", "x")), like = folder)
  trial <- read_trial(lent)
  expect_equal(trial$lineup$pipelines$pipeline, read_trial(folder)$lineup$pipelines$pipeline)
  expect_equal(trial$suite$size, c(384L, 256L))
  expect_true(
    all(
      vapply(
        trial$suite$cases,
        function(case) case$look == "linocut" && "lettering" %in% case$negative,
        NA
      )
    )
  )
  expect_equal(trial$suite$cases[[1]]$prompt[[1]]$say, "in a new look")
})

test_that("pipelines and purposes without a case are left out of what is lent", {
  folder <- file.path(withr::local_tempdir(), "demo")
  new_trial(folder, demo = TRUE)
  lent <- file.path(withr::local_tempdir(), "lent")
  new_trial(lent, from = file.path(folder, "looks"), like = folder)
  trial <- read_trial(lent)
  expect_equal(
    unique(trial$lineup$pipelines$engine),
    c("yarrow", "bracken", "quince", "sorrel", "teasel")
  )
  expect_false("yarrow-firm" %in% trial$lineup$pipelines$pipeline)
  # A pipeline keeps to those of its jobs that there are.
  expect_equal(trial$lineup$pipelines$jobs[[3]], "restyle")
  expect_equal(
    trial$lineup$control_sample$pipelines,
    c("yarrow", "bracken", "bracken/hold=0.9")
  )
  expect_equal(brief_jobs(trial$brief), "restyle")
})
