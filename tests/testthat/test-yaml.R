locate <- locate_places
read <- read_yaml_text

test_that("every place of a block file has its line", {
  lines <- c(
    "suite: tiles",
    "# a comment",
    "seeds: [1,",
    "  2]",
    "cases:",
    "  - id: a",
    "    prompt:",
    "      - first",
    "      - {say: second, probe: {colour: red,",
    "          share: at least 0.1}}",
    "  - id: b",
    "    reference:",
    "      picture: x.png"
  )
  found <- locate(lines)
  wanted <- c(
    suite = 1,
    seeds = 3,
    "seeds[2]" = 4,
    cases = 5,
    "cases[1]" = 6,
    "cases[1].id" = 6,
    "cases[1].prompt" = 7,
    "cases[1].prompt[1]" = 8,
    "cases[1].prompt[2]" = 9,
    "cases[1].prompt[2].say" = 9,
    "cases[1].prompt[2].probe.colour" = 9,
    "cases[1].prompt[2].probe.share" = 10,
    "cases[2].id" = 11,
    "cases[2].reference.picture" = 13
  )
  expect_equal(found[names(wanted)], wanted)
})

test_that("lists that are not indented, quoted keys and block text are followed", {
  lines <- c("a:", "- id: x", "- id: y", "\"b c\":", "  d: |", "    e: no key", "  f: 1")
  found <- locate(lines)
  expect_equal(
    found[c("a[1].id", "a[2].id", "b c", "b c.d", "b c.f")],
    c("a[1].id" = 2, "a[2].id" = 3, "b c" = 4, "b c.d" = 5, "b c.f" = 7)
  )
  expect_false("b c.d.e" %in% names(found))
})

test_that("a place that is not there gets the line of what is above it", {
  lines <- locate(c("a:", "  b:", "    - c: 1"))
  at <- line_of
  expect_equal(at("a.b[1].missing.deep", lines), 3)
  expect_equal(at("a.x", lines), 1)
  expect_equal(at("nowhere", lines), 1)
})

test_that("values are those of YAML 1.2", {
  value <- read(
    "a: yes\nb: 010\nc: 1:30\nd: true\ne: 0x1F\nf: 1.5\ng: off\nh: ~\ni: [1, 2]",
    "x.yml"
  )$value
  expect_equal(
    value,
    list(
      a = "yes",
      b = 10,
      c = "1:30",
      d = TRUE,
      e = 31,
      f = 1.5,
      g = "off",
      h = NULL,
      i = list(1, 2)
    )[c("a", "b", "c", "d", "e", "f", "g", "h", "i")]
  )
})

test_that("broken YAML is one problem with its line, in words", {
  broken <- list(
    "a: [1\nb: 2" = "valid YAML",
    "a:\n\tb: 2" = "spaces for indentation",
    "a: 1\na: 2" = "Duplicate map key",
    "a: *nowhere" = "anchor"
  )
  for (text in names(broken)) {
    problem <- read(text, "x.yml")$problem
    expect_equal(nrow(problem), 1, info = text)
    expect_match(problem$wanted, broken[[text]], info = text)
  }

  expect_equal(read("a:\n\tb: 2", "x.yml")$problem$line, 2L)
})

test_that("R code in a tag is marked and never run", {
  ran <- FALSE
  assign("note_that_it_ran", function() ran <<- TRUE, globalenv())
  withr::defer(rm("note_that_it_ran", envir = globalenv()))
  for (tag in c("!expr", "!r", "!R", "!eval")) {
    value <- read(paste0("a: ", tag, " note_that_it_ran()"), "x.yml")$value
    expect_s3_class(value$a, "yaml_code")
  }

  expect_false(ran)
})
