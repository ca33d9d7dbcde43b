# Writes inst/schema/*.json and docs/files.md from the table of fields.
fields <- getFromNamespace("trial_fields", "sprenn")
schema <- getFromNamespace("field_schema", "sprenn")
words <- getFromNamespace("type_words", "sprenn")
files <- getFromNamespace("trial_files", "sprenn")
for (file in files) {
  json <- jsonlite::toJSON(schema(file), auto_unbox = TRUE, pretty = TRUE, digits = NA)
  writeLines(json, file.path("inst/schema", sub("yml$", "schema.json", file)))
}
row <- function(f) paste0("| `", f$place, "` | ", gsub("|", "\\|", words(f$type), fixed = TRUE), " | ", if (f$needed) "yes" else "", " | ", f$doc, " |")
text <- c(
  "# The three files of a trial", "",
  "Made by `make docs` from the same table of fields as the checks and the JSON Schemas in",
  "`inst/schema/`. YAML 1.2; paths are relative to the file and stay inside the trial; `[]` is",
  "every entry of a list, `*` every name.",
  unlist(lapply(files, function(file) {
    table <- fields(file)
    c("", paste("##", file), "", "| place | what | needed | meaning |", "| --- | --- | --- | --- |",
      vapply(seq_len(nrow(table)), function(i) row(table[i, ]), ""))
  }))
)
writeLines(text, "docs/files.md")
