# What comes from elsewhere: engines, judges, files, records, pictures and pages of other sites.

hostile <- "red \u001b[31mink\u001b[0m \u001b]0;title\u0007and \u202egnikirts\u202c\b"

has_escapes <- function(lines) any(has_controls(paste(lines, collapse = "\n")))

ending_words <- function(code) tryCatch(code, sprenn_error = conditionMessage)

test_that("text keeps what can be read and loses what steers a terminal", {
  expect_equal(clean_text(hostile), "red ink and gnikirts\ufffd")
  # In one character, as a link, in strings that do not end, in bytes that are no UTF-8.
  expect_equal(clean_text("a\u009b1mb"), "ab")
  expect_equal(clean_text("\u001b]8;;http://x\u001b\\here\u001b]8;;\u001b\\"), "here")
  expect_equal(clean_text("\u001b]52;c;cut off"), "52;c;cut off")
  expect_equal(clean_text("caf\xe9"), "caf\ufffd")
  expect_equal(clean_text("one\r\ntwo\rthree\u2028four\tfive"), "one\ntwo\nthree\nfour\tfive")
  # Scripts need joiners and marks.
  kept <- c("\u05e9\u05dc\u05d5\u05dd\u200f!", "\U0001F468\u200d\U0001F33E", "plain", NA)
  expect_identical(clean_text(kept), kept)
  expect_false(any(has_controls(kept)))
  expect_equal(clean_text(c(x = "a\u001b")), c(x = "a\ufffd"))
  expect_equal(clean_text(7), 7)
})

test_that("columns of plain text are told without a look at each of them", {
  expect_true(core_all_plain(c("plain", NA, "plain", "tab\tand\nline", "")))
  expect_true(core_all_plain(character()))
  for (odd in c("a\u001b", "caf\u00e9", "caf\xe9", "a\u007f", "one\rtwo")) {
    expect_false(core_all_plain(c("plain", "plain", odd)))
  }
})

test_that("what an engine says is clean where it is kept and shown", {
  engine <- engine(
    list(name = "x", checkpoints = list(a = list())),
    function(request) {
      if (request$seed == 2) {
        engine_failure("refused", hostile)
      }

      engine_result(scene(1, 64, 64), says = list(note = hostile, "odd\u001b[1m" = list("\a!")))
    }
  )
  expect_equal(ending(engine, small_request(engine, seed = 2L))$said, clean_text(hostile))
  said <- make_picture(engine, small_request(engine))$says
  expect_equal(said, list(note = clean_text(hostile), odd = list("\ufffd!")))
})

test_that("records of a run that came from elsewhere are cleaned when they are read", {
  folder <- small_trial()
  run_trial(folder)
  store <- open_store(folder, "main")
  write_db(
    store,
    "UPDATE takes SET state = 'failed', failure = 'refused', message = ? WHERE position = 1",
    list(hostile)
  )
  write_db(store, "UPDATE takes SET answer = '{\"says\": \"\\u001b[31mred\"}'")
  takes <- read_takes(store)
  expect_equal(takes$message[1], clean_text(hostile))
  expect_equal(
    read_json_text(read_exchange(store, takes$take[2])$answer)$says,
    "red"
  )
  close_store(store)
  shown <- run_cli("check", folder, "--run", "main")
  expect_false(has_escapes(c(shown$out, shown$err)))
  tables <- export_run(folder, as = "csv", file = withr::local_tempfile())$path
  expect_false(has_escapes(readLines(file.path(tables, "takes.csv"))))
})

test_that("a trial's file says where it has control characters, without sending them on", {
  folder <- small_trial(suite = c(
    change(small_suite, "prompt: a thing}", "prompt: \"a \\e[31mred \\u202Ething\"}"),
    "notes: [fine, \"a\\bb\"]",
    "\"odd\\e[2Jkey\": 1"
  ))
  problems <- check_trial(folder)
  wanted <- grepl("without control characters", problems$wanted)
  expect_setequal(
    problems$place[wanted],
    c("cases[2].prompt", "cases[3].prompt", "notes[2]", "")
  )
  expect_equal(problems$line[wanted & problems$place == "notes[2]"], 8L)
  found <- problems$found[wanted & problems$place == "cases[2].prompt"]
  expect_equal(found, "\"a \\033[31mred \\u202ething\"")
  shown <- run_cli("check", folder)
  expect_equal(shown$status, 2)
  expect_false(has_escapes(c(shown$out, shown$err)))
})

test_that("no error passes on what it quotes as it is", {
  expect_false(has_escapes(ending_words(read_trial("no\u001b[31msuch\u202efolder"))))
  shown <- run_cli("check", "no\u001b[31msuch")
  expect_false(has_escapes(shown$err))
  shown <- run_cli("no\u001b[2Jcommand")
  expect_false(has_escapes(shown$err))
})

test_that("tables for spreadsheets hold no formulas", {
  cells <- data.frame(
    text = c("=1+1", "+1", "-1", "@x", "\tx", "plain", "a=b", NA),
    number = -1:6
  )
  expect_equal(
    as_cells(cells)$text,
    c("'=1+1", "'+1", "'-1", "'@x", "'\tx", "plain", "a=b", NA)
  )
  expect_equal(as_cells(cells)$number, cells$number)
  folder <- small_trial(
    suite = change(
      small_suite,
      "prompt: a thing}",
      "prompt: \"=cmd|'/c calc'!A1\"}"
    )
  )
  run_trial(folder)
  store <- open_store(folder, "main")
  write_db(store, "UPDATE takes SET message = '=HYPERLINK(1)'")
  close_store(store)
  tables <- export_run(folder, as = "csv", file = withr::local_tempfile())$path
  takes <- utils::read.csv(file.path(tables, "takes.csv"))
  expect_equal(unique(takes$message), "'=HYPERLINK(1)")
  skip_if_not_installed("nanoparquet")
  tables <- export_run(folder, as = "parquet", file = withr::local_tempfile())$path
  takes <- nanoparquet::read_parquet(file.path(tables, "takes.parquet"))
  expect_equal(unique(takes$message), "'=HYPERLINK(1)")
})

# Forms in which a server may send a key back, by other code than that which looks for them.
forms_of <- function(key) {
  bytes <- charToRaw(key)
  digits <- as.character(bytes)
  base64 <- function(text) jsonlite::base64_enc(charToRaw(text))
  c(
    plain = key,
    url = curl::curl_escape(key),
    "url in small letters" = tolower(curl::curl_escape(key)),
    "url, every byte" = paste0("%", digits, collapse = ""),
    "url, twice" = gsub("%", "%25", paste0("%", digits, collapse = ""), fixed = TRUE),
    json = gsub("^\"|\"$", "", jsonlite::toJSON(key, auto_unbox = TRUE)),
    "json, slashes" = gsub("/", "\\/", key, fixed = TRUE),
    "json, every character" = paste0("\\u00", digits, collapse = ""),
    html = htmltools::htmlEscape(key, attribute = TRUE),
    "html, numbers" = paste0("&#", strtoi(digits, 16), ";", collapse = ""),
    hex = paste(digits, collapse = ""),
    "hex in capitals" = toupper(paste(digits, collapse = ":")),
    base64 = base64(key),
    "base64 for urls" = chartr("+/", "-_", gsub("=", "", base64(key))),
    "user of 1" = base64(paste0(":", key)),
    "user of 2" = base64(paste0("u:", key)),
    "user of 3" = base64(paste0("us:", key)),
    "in the midst" = base64(paste0("user:", key, " and more text behind"))
  )
}

test_that("a key is masked in every form in which it may come back", {
  keys <- c(
    "s3cret/key+1", "abcdef", "p\"q\\r&s<t>u'v", "sk-AbC_d.E~f 123=",
    paste(rep("Zx9/", 60), collapse = "")
  )
  set.seed(11)
  random <- vapply(
    1:40,
    function(i) intToUtf8(sample(33:126, sample(6:90, 1), replace = TRUE)),
    ""
  )
  for (key in c(keys, random)) {
    withr::local_envvar(STUDIO_KEY = key)
    forms <- forms_of(key)
    masked <- mask_secrets(paste0("before ", forms, " behind"), "STUDIO_KEY")
    lost <- !grepl("^before [A-Za-z0-9+/]{0,8}\\(STUDIO_KEY\\)", masked)
    expect_equal(names(forms)[lost], character(), info = paste(key, masked[lost][1]))
  }

  innocent <- c("a picture of a hill", "200 OK", "dGhlIGhpbGw=", "%20")
  expect_equal(mask_secrets(innocent, "STUDIO_KEY"), innocent)
})

test_that("a key at the place where a message is cut leaves nothing behind", {
  withr::local_envvar(STUDIO_KEY = "s3cret-and-long-key")
  for (before in longest_message - 0:24) {
    said <- safe_message(paste0(strrep("x", before), "s3cret-and-long-key"), "STUDIO_KEY")
    expect_false(grepl("s3c", said))
    expect_lte(nchar(said), longest_message)
  }

  # A page that is shown by how it begins.
  for (before in 30:62) {
    page <- charToRaw(paste0("<", strrep("x", before), "s3cret-and-long-key</a> more"))
    expect_false(grepl("s3c", safe_message(starts_like(page), "STUDIO_KEY")))
  }
})

test_that("a server that echoes its key leaves it nowhere in a run", {
  skip_on_cran()
  withr::local_envvar(STUDIO_KEY = "s3cret/key+1")
  address <- lying_server(function(path, number) {
    json <- function(status, text) {
      c(
        charToRaw(paste0(
          "HTTP/1.1 ", status, " X\r\nContent-Type: application/problem+json\r\n",
          "Content-Length: ", nchar(text), "\r\n\r\n"
        )),
        charToRaw(text)
      )
    }
    if (grepl("about", path)) {
      json(200, "{\"name\": \"echo\", \"version\": \"1\", \"checkpoints\": {\"a\": {}}}")
    } else {
      json(400, paste0(
        "{\"title\": \"No ", strrep("y", 380), "\", \"detail\": \"Bearer s3cret\\/key+1 ",
        "Basic ", jsonlite::base64_enc(charToRaw("me:s3cret/key+1")), "\"}"
      ))
    }
  })
  folder <- small_trial(lineup = c(
    "engines:",
    paste0("  echo: {kind: http, address: \"", address, "\", key: STUDIO_KEY}"),
    "pipelines:",
    "  - {id: firm, engine: echo}"
  ))
  run <- run_trial(folder)
  expect_true(all(run$takes$state == "failed"))
  expect_match(run$takes$message[1], "(STUDIO_KEY)", fixed = TRUE)
  write_report(folder)
  export_run(folder, as = "crate", file = file.path(folder, "crate.zip"))
  export_run(folder, as = "csv", file = file.path(folder, "tables"))
  shown <- run_cli("check", folder, "--run", "main", "--json")
  found <- lapply(list.files(folder, recursive = TRUE, full.names = TRUE), function(file) {
    bytes <- readBin(file, "raw", file.size(file))
    text <- rawToChar(bytes[bytes != 0])
    if (grepl("s3cret|czNjcmV0|M2NyZX|zY3JldC", text, useBytes = TRUE)) file
  })
  expect_null(unlist(found))
  expect_false(any(grepl("s3cret", c(shown$out, shown$err))))
})

test_that("pictures lose the metadata in which a key stands, and only that", {
  withr::local_envvar(STUDIO_KEY = "s3cret/key+1")
  picture <- png::writePNG(scene(1, 64, 64))
  leaking <- append(picture, png_chunk("tEXt", charToRaw("Comment-s3cret/key+1")), 33)
  expect_identical(mask_picture(leaking, "STUDIO_KEY"), picture)
  fine <- append(picture, png_chunk("tEXt", charToRaw("Comment-fine")), 33)
  expect_identical(mask_picture(fine, "STUDIO_KEY"), fine)
  packed <- c(charToRaw("k"), as.raw(c(0, 0)), memCompress(charToRaw("s3cret/key+1"), "gzip"))
  hidden <- append(picture, png_chunk("zTXt", packed), 33)
  expect_identical(mask_picture(hidden, "STUDIO_KEY"), picture)
  wide <- as.raw(rbind(as.integer(charToRaw("s3cret/key+1")), 0L))
  hidden <- append(picture, png_chunk("eXIf", wide), 33)
  expect_identical(mask_picture(hidden, "STUDIO_KEY"), picture)
  # Without a key nothing is looked at.
  expect_identical(mask_picture(leaking, character()), leaking)
  jpeg <- magick::image_write(magick::image_read(scene(1, 64, 64)), format = "jpeg")
  comment <- charToRaw("key s3cret/key+1")
  leaking <- append(jpeg, c(as.raw(c(0xff, 0xfe, 0, length(comment) + 2)), comment), 2)
  expect_identical(mask_picture(leaking, "STUDIO_KEY"), jpeg)
  webp <- c(charToRaw("RIFF____WEBP"), comment)
  expect_error(mask_picture(webp, "STUDIO_KEY"), class = "sprenn_failure_bad_answer")
  leaky <- engine(
    list(name = "x", checkpoints = list(a = list())),
    function(request) engine_result(hidden, cost = 1),
    secrets = "STUDIO_KEY"
  )
  expect_identical(make_picture(leaky, small_request(leaky))$bytes, picture)
})

test_that("a viewing answers its own pages only", {
  from <- function(host, origin = NULL) is_from_here(list(HTTP_HOST = host, HTTP_ORIGIN = origin))
  expect_true(from("127.0.0.1:8000"))
  expect_true(from("localhost:8000", "http://localhost:8000"))
  expect_false(from("evil.invalid"))
  expect_false(from("127.0.0.1.evil.invalid"))
  expect_false(from("127.0.0.1:8000", "http://evil.invalid"))
  expect_false(from("127.0.0.1:8000", "http://127.0.0.1:9000"))
  expect_false(from("127.0.0.1:8000", "null"))
  expect_false(from(NULL))
})

test_that("what is nested without end is refused before it is parsed", {
  n <- 30000
  texts <- c(
    json = paste0(strrep("[", n), strrep("]", n)),
    maps = paste0(strrep("{a: ", n), "1", strrep("}", n)),
    dashes = paste0(strrep("- ", n), "1"),
    open = strrep("[", n),
    quoted = paste0(strrep("[\"]\", ", n), strrep("]", n))
  )
  for (name in names(texts)) {
    found <- read_yaml_text(texts[[name]], "suite.yml")$problem$found
    expect_match(found, "nested more than 50 deep", info = name)
  }

  object <- paste0(strrep("{\"a\":", n), "1", strrep("}", n))
  for (text in c(texts[["json"]], object)) {
    answer <- list(body = charToRaw(text), type = "application/json")
    failure <- tryCatch(read_json_answer(answer, "http://x"), sprenn_failure = identity)
    expect_s3_class(failure, "sprenn_failure_bad_answer")
    expect_match(conditionMessage(failure), "nested more than 50 deep")
    expect_error(read_json_text(text), "nested more than 50 deep")
  }

  # Brackets in strings and comments are text.
  expect_equal(read_json_text("[\"[[[\\\"[[\", 1]")[[2]], 1L)
  expect_false(is_deep(to_json(strrep("[", 100))))
  many <- paste0("  - {id: c", 1:1200, ", prompt: \"tower #1\"}")
  read <- read_yaml_text(paste(c("cases:", many), collapse = "\n"), "suite.yml")
  expect_length(read$value$cases, 1200)
})

test_that("nesting that comments hide is given up after a while", {
  skip_on_cran()
  text <- paste(rep("[ # ]", 30000), collapse = "\n")
  took <- system.time(found <- read_yaml_text(text, "suite.yml", 1)$problem$found)[["elapsed"]]
  expect_match(found, "nested more than 50 deep")
  expect_lt(took, 10)
})
