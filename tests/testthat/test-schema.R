test_that("the shipped schemas are those that the table of fields makes", {
  for (file in c("suite.yml", "lineup.yml", "brief.yml")) {
    shipped <- system.file("schema", sub("yml$", "schema.json", file), package = "sprenn")
    made <- jsonlite::toJSON(internal("field_schema")(file), auto_unbox = TRUE, pretty = TRUE, digits = NA)
    expect_equal(paste(readLines(shipped), collapse = "\n"), as.character(made), info = file)
  }
})

test_that("every place of the table has a parent in it, a known type and a sentence", {
  for (file in c("suite.yml", "lineup.yml", "brief.yml")) {
    fields <- internal("trial_fields")(file)
    expect_false(any(duplicated(fields$place)))
    parents <- sub("(\\.[^.]*|\\[\\])$", "", fields$place)
    inner <- grepl("[.[]", fields$place)
    expect_true(all(parents[inner] %in% fields$place), info = file)
    words <- unlist(lapply(strsplit(fields$type, " or "), function(types) sub(" .*", "", types)))
    expect_true(all(words %in% names(internal("field_types")())))
    expect_true(all(grepl("\\.$", fields$doc)))
  }
})
