files <- c("suite.yml", "lineup.yml", "brief.yml", "workers.yml")

test_that("the shipped schemas are those that the table of fields makes", {
  for (file in files) {
    shipped <- system.file("schema", sub("yml$", "schema.json", file), package = "sprenn")
    made <- jsonlite::toJSON(
      field_schema(file),
      auto_unbox = TRUE,
      pretty = TRUE,
      digits = NA
    )
    expect_equal(paste(readLines(shipped), collapse = "\n"), as.character(made), info = file)
  }
})

test_that("every field has a type that is known, a parent, and words about it", {
  for (file in files) {
    fields <- trial_fields(file)
    expect_false(any(duplicated(fields$place)))
    parents <- sub("(\\.[^.]*|\\[\\])$", "", fields$place)
    inner <- grepl("[.[]", fields$place)
    expect_true(all(parents[inner] %in% fields$place), info = file)
    words <- unlist(lapply(strsplit(fields$type, " or "), function(types) {
      sub(" .*", "", types)
    }))
    expect_true(all(words %in% names(field_types())))
    expect_true(all(grepl("\\.$", fields$doc)))
    rules <- trial_rules(file)
    expect_true(all(rules$place %in% c("", fields$place)))
  }
})

# Every place that a schema speaks of, as docs/files.md writes them.
places_in_schema <- function(schema, place = "") {
  inner <- c(schema$anyOf, schema$oneOf)
  of_keys <- lapply(names(schema$properties), function(key) {
    own <- paste0(place, if (nzchar(place)) ".", key)
    c(own, places_in_schema(schema$properties[[key]], own))
  })
  of_names <- if (is.list(schema$additionalProperties)) {
    own <- paste0(place, ".*")
    c(own, places_in_schema(schema$additionalProperties, own))
  }
  of_items <- if (!is.null(schema$items)) {
    own <- paste0(place, "[]")
    c(own, places_in_schema(schema$items, own))
  }
  c(unlist(lapply(inner, places_in_schema, place)), unlist(of_keys), of_names, of_items)
}

test_that("docs/files.md lists the places that the schemas know, and keys are keys", {
  page <- testthat::test_path("..", "..", "docs", "files.md")
  skip_if_not(file.exists(page), "the docs are not beside the tests")
  lines <- readLines(page)
  for (file in files) {
    from <- match(paste("##", file), lines)
    part <- lines[seq(from + 1, from + match(TRUE, grepl("^## ", lines[-seq_len(from)])) - 1)]
    rows <- grep("^\\| `", part, value = TRUE)
    listed <- sub("^\\| `([^`]*)`.*", "\\1", rows)
    schema <- jsonlite::read_json(
      system.file("schema", sub("yml$", "schema.json", file), package = "sprenn")
    )
    known <- unique(places_in_schema(schema))
    expect_equal(setdiff(listed, known), character(), info = file)
    # What lies in a list of plain numbers or texts needs no row of its own.
    unlisted <- setdiff(known, listed)
    expect_equal(unlisted[!endsWith(unlisted, "[]")], character(), info = file)
    keys <- unlist(strsplit(listed, "(\\[\\])*(\\.|$)"))
    expect_equal(keys[!grepl("^([a-z][a-z_0-9]*|\\*)?$", keys)], character(), info = file)
  }
})

# A general JSON Schema library, by way of any Python that has it.
python_with_jsonschema <- function() {
  for (python in c("/usr/bin/python3", Sys.which("python3"))) {
    if (file.exists(python) &&
      system2(
        python,
        c("-c", shQuote("from jsonschema import Draft202012Validator")),
        stdout = FALSE,
        stderr = FALSE
      ) == 0) {
      return(python)
    }
  }

  NULL
}

validate <- function(python, cases) {
  input <- withr::local_tempfile(fileext = ".json")
  writeLines(
    jsonlite::toJSON(cases, auto_unbox = TRUE, digits = NA, null = "null"),
    input,
    useBytes = TRUE
  )
  script <- withr::local_tempfile(fileext = ".py")
  writeLines(
    c(
      "import json, sys",
      "from jsonschema import Draft202012Validator",
      "cases = json.load(open(sys.argv[1], encoding='utf-8'))",
      "schemas = {}",
      "for file, path in cases['schemas'].items():",
      "    schema = json.load(open(path, encoding='utf-8'))",
      "    Draft202012Validator.check_schema(schema)",
      "    schemas[file] = Draft202012Validator(schema)",
      "held = [schemas[c['file']].is_valid(c['value']) for c in cases['cases']]",
      "print(''.join('1' if valid else '0' for valid in held))"
    ),
    script
  )
  strsplit(system2(python, c(script, input), stdout = TRUE), "")[[1]] == "1"
}

test_that("the schemas accept what the reader accepts, sound and broken", {
  python <- python_with_jsonschema()
  skip_if(is.null(python), "no Python with jsonschema")
  sound <- c(
    lapply(1:60, function(i) list(file = "suite.yml", value = some_suite(i, 2))),
    lapply(1:25, function(i) list(file = "lineup.yml", value = some_lineup(i))),
    lapply(1:25, function(i) list(file = "brief.yml", value = some_brief(i))),
    lapply(1:20, function(i) list(file = "workers.yml", value = some_workers(i)))
  )
  broken <- lapply(1:160, function(i) {
    one <- sound[[1 + (i * 7) %% length(sound)]]
    one$value <- break_it(one$value, 1000 + i)
    one
  })
  cases <- c(sound, broken)
  reader <- vapply(
    cases,
    function(one) nrow(walk_fields(one$value, one$file)) == 0,
    NA
  )
  schemas <- lapply(stats::setNames(files, files), function(file) {
    system.file("schema", sub("yml$", "schema.json", file), package = "sprenn")
  })
  schema <- validate(python, list(schemas = schemas, cases = cases))
  expect_true(all(reader[seq_along(sound)]))
  expect_gt(sum(!reader), 80)
  differ <- which(reader != schema)
  expect_equal(
    differ,
    integer(),
    info = paste(
      vapply(
        cases[differ],
        function(one) as.character(jsonlite::toJSON(one, auto_unbox = TRUE)),
        ""
      ),
      collapse = "\n"
    )
  )
})
