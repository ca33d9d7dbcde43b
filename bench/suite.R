# How long a large suite takes to read, check and fingerprint, and where the
# time goes. Run from the root with the package installed:
#   Rscript bench/suite.R [cases] [width] [height]
# Times are of this machine: what travels is the last column, how often the
# suite's pictures could have been decoded alone meanwhile.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- as.integer(commandArgs(TRUE))
count <- c(given, 1000L)[1]
size <- if (length(given) > 2) given[2:3] else c(384L, 256L)

folder <- tempfile("bench-suite-")
dir.create(file.path(folder, "references"), recursive = TRUE)
tiles <- core("tile_names")()
base <- lapply(seq_along(tiles), function(i) core("draw_tile")(tiles[i], size[1], size[2], i))

for (i in seq_len(count)) {
  # Every picture is another one: its columns begin elsewhere.
  picture <- base[[1 + i %% length(base)]][, 1 +
    (seq_len(size[1]) + 3L * (i %/% length(base))) %% size[1], ]
  core("write_drawing")(
    picture,
    file.path(folder, "references", sprintf("p%04d.%s", i, c("png", "jpg")[1 + i %% 2]))
  )
}

writeLines(
  c(
    "suite: large",
    "seeds: [1, 2, 3]",
    paste0("size: [", size[1], ", ", size[2], "]"),
    "cases:",
    unlist(lapply(seq_len(count), function(i) {
      c(
        sprintf("  - id: case-%04d", i),
        "    job: restyle",
        sprintf(
          "    reference: {picture: references/p%04d.%s, focus: [0.5, 0.4]}",
          i,
          c("png", "jpg")[1 + i %% 2]
        ),
        "    prompt:",
        "      - a windmill on a hill",
        "      - {say: two kites, weight: 1.4}",
        "      - {say: a cream sky, probe: {colour: cream, where: top third, share: at least 0.3}}",
        "    negative: [lettering, a frame]",
        "    watch: {sails: {box: [0.4, 0.2, 0.7, 0.5], keep: 0.8}}"
      )
    }))
  ),
  file.path(folder, "suite.yml")
)

writeLines(
  c(
    "engines:",
    "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
    "pipelines:",
    "  - {id: a, engine: yarrow, checkpoint: tide, hold: 0.6}"
  ),
  file.path(folder, "lineup.yml")
)

writeLines(c("brief: x", "weights: {structure: 1}"), file.path(folder, "brief.yml"))

seconds <- function(code) system.time(force(code))[["elapsed"]]
text <- paste(readLines(file.path(folder, "suite.yml")), collapse = "\n")
pictures <- list.files(file.path(folder, "references"), full.names = TRUE)

decoding <- seconds(
  for (file in pictures) {
    magick::image_write(
      magick::image_read(core("read_bytes")(file)),
      format = "rgb",
      depth = 8L
    )
  }
)

rows <- list(
  "YAML to values and lines" = seconds(read <- core("read_yaml_text")(text, "suite.yml")),
  "fields and rules" = seconds(core("walk_fields")(read$value, "suite.yml")),
  "pictures: read, hash, inspect" = seconds(
    core("examine_files")(list(file = "suite.yml", value = read$value), normalizePath(folder))
  ),
  "all: read_trial()" = seconds(trial <- read_trial(folder)),
  "warnings" = seconds(warned <- core("trial_warnings")(trial)),
  "fingerprint" = seconds(print_ <- core("fingerprint_suite")(trial$suite))
)

cat(count, "cases with a picture of", size[1], "x", size[2], "each, half PNG and half JPEG\n\n")

cat(
  sprintf(
    "%-32s %6.2f s  %5.2f x decoding\n",
    names(rows),
    unlist(rows),
    unlist(rows) / decoding
  ),
  sep = ""
)

total <- rows[["all: read_trial()"]] + rows$warnings + rows$fingerprint

cat(
  sprintf(
    "%-32s %6.2f s  %5.2f x decoding\n",
    "reading, checking, fingerprint",
    total,
    total / decoding
  )
)

unlink(folder, recursive = TRUE)
