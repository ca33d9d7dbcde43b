packed <- function(env = parent.frame()) {
  folder <- file.path(withr::local_tempdir(.local_envir = env), "\u00dcbungs-Kacheln")
  new_trial(folder, demo = TRUE, cases = 2)
  list(
    folder = folder,
    zip = pack_trial(folder, withr::local_tempfile(fileext = ".zip", .local_envir = env))
  )
}

# A zip of a folder after something was done to its contents.
tampered <- function(zip, change, env = parent.frame()) {
  work <- withr::local_tempdir(.local_envir = env)
  zip::unzip(zip, exdir = work)
  change(file.path(work, "brackwater-tiles"))
  out <- withr::local_tempfile(fileext = ".zip", .local_envir = env)
  zip::zip(out, list.files(work, all.files = TRUE, no.. = TRUE), root = work, mode = "mirror")
  out
}

refused <- function(zip, found) {
  folder <- file.path(withr::local_tempdir(), "never")
  expect_error(new_trial(folder, from = zip), found, class = "sprenn_error_new")
  expect_equal(list.files(dirname(folder), all.files = TRUE, no.. = TRUE), character())
}

test_that("a packed trial unpacks elsewhere as it was, and runs", {
  one <- packed()
  there <- file.path(withr::local_tempdir(), "there")
  new_trial(there, from = one$zip)
  files <- sort(list.files(one$folder, recursive = TRUE))
  expect_equal(sort(list.files(there, recursive = TRUE)), files)
  expect_equal(
    unname(tools::md5sum(file.path(there, files))),
    unname(tools::md5sum(file.path(one$folder, files)))
  )
  expect_identical(plan_run(there)$takes$take, plan_run(one$folder)$takes$take)
})

test_that("the zip is a bag with a checkable manifest, own engines inside and no runs", {
  folder <- small_trial()
  run_trial(folder)
  zip <- pack_trial(folder, withr::local_tempfile(fileext = ".zip"))
  work <- withr::local_tempdir()
  utils::unzip(zip, exdir = work)
  bag <- file.path(work, "small")
  expect_equal(readLines(file.path(bag, "bagit.txt"))[1], "BagIt-Version: 1.0")
  expect_setequal(
    list.files(file.path(bag, "data")),
    c("brief.yml", "lineup.yml", "mixer.R", "references", "suite.yml")
  )
  manifest <- strsplit(readLines(file.path(bag, "manifest-sha256.txt")), "  ")
  for (line in manifest) {
    expect_equal(
      line[1],
      paste(unclass(openssl::sha256(file(file.path(bag, line[2])))), collapse = "")
    )
  }
})

test_that("anything altered, added, missing or misnamed in a zip is refused, and nothing is made", {
  zip <- packed()$zip
  append_to <- function(path) {
    function(bag) cat("# more\n", file = file.path(bag, path), append = TRUE)
  }

  refused(tampered(zip, append_to("data/suite.yml")), "altered since, \"data/suite.yml\"")
  refused(
    tampered(zip, function(bag) writeLines("x", file.path(bag, "data", "extra.R"))),
    "at odds, \"data/extra.R\""
  )
  refused(
    tampered(zip, function(bag) unlink(file.path(bag, "data", "looks"), recursive = TRUE)),
    "at odds"
  )
  refused(tampered(zip, function(bag) unlink(file.path(bag, "bagit.txt"))), "no bag")
  refused(
    tampered(zip, function(bag) writeLines("nonsense", file.path(bag, "manifest-sha256.txt"))),
    "manifest that is none"
  )
  refused(
    tampered(zip, function(bag) {
      info <- readLines(file.path(bag, "bag-info.txt"))
      writeLines(sub("Fingerprint: .", "Fingerprint: x", info), file.path(bag, "bag-info.txt"))
    }),
    "another fingerprint"
  )
  bytes <- readBin(zip, "raw", file.size(zip))
  cut <- withr::local_tempfile(fileext = ".zip")
  writeBin(bytes[seq_len(length(bytes) %/% 2)], cut)
  refused(cut, "damaged zip")
})

test_that("a zip that climbs out of its folder, or holds a link or two of a name, is refused", {
  # Names are changed in the bytes, in both places where a zip has them.
  renamed <- function(from, to, env = parent.frame()) {
    bytes <- readBin(packed(env)$zip, "raw", 1e7)
    for (at in grepRaw(from, bytes, fixed = TRUE, all = TRUE)) {
      bytes[at + seq_len(nchar(from)) - 1] <- charToRaw(to)
    }

    out <- withr::local_tempfile(fileext = ".zip", .local_envir = env)
    writeBin(bytes, out)
    out
  }

  refused(
    renamed("brackwater-tiles/data/brief.yml", "../../../../../../tmp/brief.yml"),
    "leaves its folder"
  )
  refused(
    renamed("brackwater-tiles/data/brief.yml", "/tmp/aaaaaaaaaaaaaaaa/brief.yml"),
    "leaves its folder"
  )
  refused(
    renamed("brackwater-tiles/data/brief.yml", "brackwater-tiles/data/suite.yml"),
    "one name twice"
  )
  skip_on_os("windows")
  refused(
    tampered(packed()$zip, function(bag) {
      unlink(file.path(bag, "data", "brief.yml"))
      file.symlink("/etc/hostname", file.path(bag, "data", "brief.yml"))
    }),
    "a link|altered|damaged"
  )
})

# The bytes of a zip with a file's size changed in both places where a zip has it.
resized <- function(zip, size, to, env = parent.frame()) {
  four <- function(number) as.raw(number %/% 256^(0:3) %% 256)
  bytes <- readBin(zip, "raw", file.size(zip))
  for (at in grepRaw(four(size), bytes, fixed = TRUE, all = TRUE)) {
    bytes[at + 0:3] <- four(to)
  }

  out <- withr::local_tempfile(fileext = ".zip", .local_envir = env)
  writeBin(bytes, out)
  out
}

test_that("a zip that would grow beyond all bounds is refused before it is unpacked", {
  zeros <- 60000000
  bomb <- tampered(packed()$zip, function(bag) {
    writeBin(raw(zeros), file.path(bag, "data", "references", "bomb.png"))
  })
  refused(bomb, "60 MB packed into")
  refused(resized(bomb, zeros, 3e9), "references/bomb.png\", a file of 3 GB")
  # The record at the end of a zip counts its files.
  many <- readBin(bomb, "raw", file.size(bomb))
  at <- grepRaw(as.raw(c(0x50, 0x4b, 0x05, 0x06)), many, fixed = TRUE)
  many[at + 10:11] <- as.raw(0xff)
  crowded <- withr::local_tempfile(fileext = ".zip")
  writeBin(many, crowded)
  refused(crowded, "more than 50,000 files")
  # What says that it is small is cut off where it said.
  refused(resized(bomb, zeros, 1000), "damaged zip")
  refused(
    tampered(packed()$zip, function(bag) {
      writeBin(openssl::rand_bytes(1.2e7), file.path(bag, "bag-info.txt"))
    }),
    "too large"
  )
})

# A zip with these files more, which its manifest names: the attacker writes that too.
with_more <- function(zip, files, env = parent.frame()) {
  tampered(
    zip,
    function(bag) {
      for (name in names(files)) {
        path <- file.path(bag, "data", name)
        dir.create(dirname(path), showWarnings = FALSE, recursive = TRUE)
        writeLines(files[[name]], path)
      }

      data <- file.path(bag, "data")
      all <- list.files(data, recursive = TRUE, all.files = TRUE)
      hash <- function(name) sha256_of(read_bytes(file.path(data, name)))
      lines <- paste0(vapply(all, hash, ""), "  data/", all)
      writeLines(lines, file.path(bag, "manifest-sha256.txt"))
    },
    env
  )
}

test_that("only what the trial names is unpacked, and the rest is named", {
  more <- list(
    ".Rprofile" = "stop('let in')", "runs/main/run.sqlite" = "x", "references/.hidden" = "x",
    "notes.txt" = "x"
  )
  there <- file.path(withr::local_tempdir(), "there")
  made <- new_trial(there, from = with_more(packed()$zip, more))
  expect_setequal(names(made$left_out), names(more))
  expect_false(any(names(more) %in% list.files(there, recursive = TRUE, all.files = TRUE)))
  expect_s3_class(read_trial(there), "sprenn_trial")
})

test_that("a zip whose trial names files outside, hidden, of a run or not there is refused", {
  zip <- packed()$zip
  naming <- function(file) {
    lineup <- c(
      "engines:",
      paste0("  own: {kind: function, file: \"", file, "\"}"),
      "pipelines:",
      "  - {id: one, engine: own}"
    )
    list("lineup.yml" = lineup)
  }
  refused(with_more(zip, naming("../../../other.R")), "leaves the trial")
  refused(with_more(zip, naming("/etc/passwd")), "leaves the trial")
  refused(with_more(zip, c(naming(".Rprofile"), list(".Rprofile" = "1"))), "special name")
  refused(with_more(zip, c(naming("Runs/a.R"), list("Runs/a.R" = "1"))), "special name")
  refused(with_more(zip, naming("gone.R")), "not in it, \"gone.R\"")
  refused(with_more(zip, list("lineup.yml" = "engines: 7")), "lineup.yml: engines, found 7")
  two <- c("references/caf\u00e9.png", "references/cafe\u0301.png")
  refused(with_more(zip, stats::setNames(list("1", "2"), two)), "one name twice")
})

test_that("files out of a zip have no other user's rights", {
  skip_on_os("windows")
  zip <- tampered(packed()$zip, function(bag) {
    Sys.chmod(list.files(bag, recursive = TRUE, full.names = TRUE), "6777", use_umask = FALSE)
  })
  there <- file.path(withr::local_tempdir(), "there")
  new_trial(there, from = zip)
  modes <- file.mode(list.files(there, recursive = TRUE, full.names = TRUE))
  expect_setequal(format(modes), "755")
})

test_that("what judges and own measures are made of is packed too", {
  folder <- small_trial(brief = c(
    small_brief, "measures: paper.R", "judges:", "  owl: {kind: answering, file: owl.R}",
    "  vectors: {kind: vectors, pictures: pictures.csv, texts: texts.csv}"
  ))
  writeLines(
    "judge('owl', '1', answer = function(pictures, statements) rep(0.5, length(statements)))",
    file.path(folder, "owl.R")
  )
  writeLines(
    paste0(
      "measure_function('paper', function(take, reference) mean(take), axis = 'style', ",
      "range = '0 to 1', sees = 'paper', blind_to = 'place')"
    ),
    file.path(folder, "paper.R")
  )
  writeLines(c("name,x,y", "a.png,1,2"), file.path(folder, "pictures.csv"))
  writeLines(c("name,x,y", "a thing,1,2"), file.path(folder, "texts.csv"))
  expect_s3_class(read_trial(folder), "sprenn_trial")
  there <- file.path(withr::local_tempdir(), "there")
  new_trial(there, from = pack_trial(folder, withr::local_tempfile(fileext = ".zip")))
  expect_setequal(
    setdiff(list.files(folder, recursive = TRUE), list.files(there, recursive = TRUE)),
    "twin.R"
  )
})

test_that("a trial with problems is not packed, and a place that can't be written says so", {
  broken <- small_trial(suite = sub("seeds", "seds", small_suite))
  expect_error(
    pack_trial(broken, file.path(tempdir(), "never.zip")),
    class = "sprenn_error_trial"
  )
  expect_error(
    pack_trial(small_trial(), file.path(tempdir(), "no", "such", "folder", "x.zip")),
    class = "sprenn_error_pack"
  )
  expect_false(file.exists(file.path(tempdir(), "never.zip")))
})
