files <- c("suite.yml", "lineup.yml", "brief.yml", "workers.yml")

test_that("the shipped schemas are those that the table of fields makes", {
  for (file in files) {
    shipped <- system.file("schema", sub("yml$", "schema.json", file), package = "sprenn")
    made <- jsonlite::toJSON(
      internal("field_schema")(file),
      auto_unbox = TRUE,
      pretty = TRUE,
      digits = NA
    )
    expect_equal(paste(readLines(shipped), collapse = "\n"), as.character(made), info = file)
  }
})

test_that("every field has a type that is known, a parent, and words about it", {
  for (file in files) {
    fields <- internal("trial_fields")(file)
    expect_false(any(duplicated(fields$place)))
    parents <- sub("(\\.[^.]*|\\[\\])$", "", fields$place)
    inner <- grepl("[.[]", fields$place)
    expect_true(all(parents[inner] %in% fields$place), info = file)
    words <- unlist(lapply(strsplit(fields$type, " or "), function(types) {
      sub(" .*", "", types)
    }))
    expect_true(all(words %in% names(internal("field_types")())))
    expect_true(all(grepl("\\.$", fields$doc)))
    rules <- internal("trial_rules")(file)
    expect_true(all(rules$place %in% c("", fields$place)))
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
    function(one) nrow(internal("walk_fields")(one$value, one$file)) == 0,
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
