# Writes inst/schema/*.json and docs/files.md from the table of fields.
fields <- getFromNamespace("trial_fields", "sprenn")
schema <- getFromNamespace("field_schema", "sprenn")
words <- getFromNamespace("type_words", "sprenn")
files <- getFromNamespace("written_files", "sprenn")

for (file in files) {
  json <- jsonlite::toJSON(schema(file), auto_unbox = TRUE, pretty = TRUE, digits = NA)
  writeLines(json, file.path("inst/schema", sub("yml$", "schema.json", file)))
}

rules_of <- getFromNamespace("trial_rules", "sprenn")

rule_words <- function(rule) {
  key <- function(x) paste0("`", x, "`")
  said <- c(
    if (length(rule$needs[[1]])) {
      paste(
        "needs",
        paste(gsub("|", "` or `", key(rule$needs[[1]]), fixed = TRUE), collapse = " and ")
      )
    },
    if (length(rule$bans[[1]])) {
      paste("excludes", paste(key(rule$bans[[1]]), collapse = ", "))
    }
  )
  when <- if (nzchar(rule$when)) paste0(" with ", key(sub("=", ": ", rule$when)))
  paste0(
    "- ",
    if (nzchar(rule$place)) key(rule$place) else "the file",
    when, " ", paste(said, collapse = " and ")
  )
}

row <- function(f) {
  paste0(
    "| `", f$place, "` | ",
    gsub("|", "\\|", words(f$type), fixed = TRUE),
    " | ", if (f$needed) "yes" else "", " | ", f$doc,
    " |"
  )
}

text <- c(
  "# The files that people write",
  "",
  paste0(
    "The three of a trial, and that of `--workers` (docs/machines.md). Made by `make docs` from ",
    "the same table of fields as the checks and the JSON Schemas in"
  ),
  "`inst/schema/`. YAML 1.2; paths are relative to the file and stay inside the trial; `[]` is",
  "every entry of a list, `*` every name.",
  unlist(lapply(files, function(file) {
    table <- fields(file)
    rules <- rules_of(file)
    c(
      "",
      paste("##", file),
      "",
      "| place | what | needed | meaning |",
      "| --- | --- | --- | --- |",
      vapply(seq_len(nrow(table)), function(i) row(table[i, ]), ""),
      if (nrow(rules)) {
        c(
          "",
          "What its keys say of each other:",
          "",
          vapply(seq_len(nrow(rules)), function(i) rule_words(rules[i, ]), "")
        )
      }
    )
  })),
  "",
  "## What a schema can't say",
  "",
  paste0(
    "The schemas in `inst/schema/` accept what the tables above do. Only `sprenn check` sees ",
    "further: that"
  ),
  paste0(
    "ids are told apart, that names (`like`, `look`, `of`, `engine`) and files exist and can be ",
    "read, that"
  ),
  "ends are in order (a box from left to right, a bound from low to high), that masks have their",
  "reference's shape, and what an engine takes."
)

writeLines(text, "docs/files.md")
