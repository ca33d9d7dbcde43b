# Mutated files against every reader: pictures, keypoints, YAML, tables, zips.
# Each is read or refused with a classed error; anything else is a find. Run from
# the root with the package installed:
#   Rscript bench/fuzz.R [files]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- as.integer(commandArgs(TRUE))
count <- if (length(given)) given[1] else 5000L
set.seed(if (length(given) > 1) given[2] else 20)

work <- tempfile("fuzz-")
dir.create(work)
scene <- core("core_dead_leaves")(48, 32, 1)

as_file <- function(format, ..., picture = scene) {
  magick::image_write(magick::image_read(picture), format = format, ...)
}

bit_xor <- function(a, b) {
  bitwXor(a %/% 65536, b %/% 65536) * 65536 + bitwXor(a %% 65536, b %% 65536)
}

sources <- list(
  png = as_file("png"),
  png16 = as_file("png", depth = 16),
  palette = as_file("png8"),
  grey = png::writePNG(scene[, , 1]),
  alpha = png::writePNG(array(c(scene, scene[, , 1]), c(32, 48, 4))),
  jpeg = as_file("jpeg"),
  inks = magick::image_write(
    magick::image_convert(magick::image_read(scene), colorspace = "CMYK"),
    format = "jpeg"
  ),
  webp = as_file("webp"),
  tiff = as_file("tiff", depth = 8),
  tiff16 = as_file("tiff", depth = 16)
)

demo <- file.path(work, "demo")
new_trial(demo, demo = TRUE, cases = 2)
whole <- file.path(work, "whole")
new_trial(whole, demo = TRUE)
sources$turned <- readBin(file.path(whole, "references", "tower.jpg"), "raw", 1e7)
sources$pose <- readBin(file.path(whole, "guides", "kite-flyer.json"), "raw", 1e5)

for (file in c("suite", "lineup", "brief")) {
  sources[[file]] <- readBin(file.path(whole, paste0(file, ".yml")), "raw", 1e6)
}

sources$csv <- charToRaw(
  "id,job,prompt,negative\nx,fresh,\"one|two, too\",a frame\ny,,\"three\",\nz,fresh,four,five|six\n"
)

nanoparquet::write_parquet(
  data.frame(id = c("x", "y"), prompt = c("one", "two")),
  file.path(work, "t.parquet")
)

sources$parquet <- readBin(file.path(work, "t.parquet"), "raw", 1e6)
small <- file.path(work, "small")
new_trial(small, like = demo)
sources$zip <- readBin(pack_trial(small, file.path(work, "small.zip")), "raw", 1e8)

text_kinds <- c("pose", "suite", "lineup", "brief", "csv")
png_kinds <- c("png", "png16", "palette", "grey", "alpha")

# Changed PNGs would all be refused for their checksums: half of them get right
# ones, so that decoders meet the damage.
crc_table <- vapply(
  0:255,
  function(n) {
    for (k in 1:8) {
      n <- if (n %% 2) bit_xor(n %/% 2, 0xedb88320) else n %/% 2
    }

    n
  },
  0
)

mend <- function(bytes) {
  chunks <- core("png_chunks")(bytes)
  for (k in seq_along(chunks$at)) {
    end <- chunks$at[k] + 7 + chunks$size[k]
    if (end + 4 > length(bytes)) {
      break
    }

    crc <- 4294967295
    for (byte in as.integer(bytes[(chunks$at[k] + 4):end])) {
      crc <- bit_xor(crc %/% 256, crc_table[bit_xor(crc %% 256, byte) + 1])
    }

    crc <- 4294967295 - crc
    bytes[end + 1:4] <- as.raw(c(
      crc %/% 16777216,
      crc %/% 65536 %% 256,
      crc %/% 256 %% 256,
      crc %% 256
    ))
  }

  bytes
}

mutate <- function(bytes, kind) {
  n <- length(bytes)
  if (kind %in% text_kinds && sample(3, 1) > 1) {
    # Text is broken by other text.
    at <- sample(n, sample(c(1, 1, 2, 5), 1))
    bytes[at] <- sample(bytes, length(at), TRUE)
    return(bytes)
  }

  if (kind %in% png_kinds && sample(2, 1) == 1) {
    at <- sample(9:n, sample(c(1, 2, 4), 1))
    bytes[at] <- as.raw(sample(0:255, length(at), TRUE))
    return(mend(bytes))
  }

  way <- sample(6, 1)
  if (way == 1) {
    return(bytes[seq_len(sample(n, 1))])
  }

  if (way == 2) {
    return(c(bytes[seq_len(sample(n, 1))], bytes[sample(n, 1):n]))
  }

  if (way == 3) {
    return(append(bytes, as.raw(sample(0:255, 8, TRUE)), sample(n, 1)))
  }

  # Heads decide most: half of the changes fall there.
  reach <- if (way == 4) min(n, 64) else n
  at <- sample(reach, min(reach, sample(c(1, 2, 4, 16), 1)))
  bytes[at] <- as.raw(
    if (way == 6) {
      sample(c(0, 255, 127, 128), length(at), TRUE)
    } else {
      sample(0:255, length(at), TRUE)
    }
  )
  bytes
}

read_one <- function(kind, bytes) {
  file <- file.path(work, paste0("x-", kind))
  writeBin(bytes, file)
  target <- file.path(work, "target")
  on.exit(unlink(c(file, target), recursive = TRUE))
  switch(kind,
    pose = core("read_keypoints")(file),
    suite = ,
    lineup = ,
    brief = {
      folder <- file.path(work, "yaml")
      writeBin(bytes, file.path(folder, paste0(kind, ".yml")))
      core("read_trial_file")(folder, paste0(kind, ".yml"))
    },
    csv = ,
    parquet = ,
    zip = new_trial(target, from = file),
    read_picture(file)
  )
}

dir.create(file.path(work, "yaml"))

peak <- function() {
  status <- tryCatch(readLines("/proc/self/status"), error = function(e) character())
  as.numeric(gsub("[^0-9]", "", grep("^VmHWM", status, value = TRUE))) / 1024
}

before <- peak()

# A zip is opened whole each time, and a Parquet file in a process of its own, so
# there are fewer of them.
kinds <- sample(
  names(sources),
  count,
  TRUE,
  prob = ifelse(names(sources) %in% c("zip", "parquet"), 0.25, 1)
)

tally <- matrix(
  0,
  length(sources),
  3,
  dimnames = list(names(sources), c("read", "refused", "found"))
)

slowest <- 0

for (i in seq_len(count)) {
  bytes <- mutate(sources[[kinds[i]]], kinds[i])
  began <- proc.time()[["elapsed"]]
  what <- tryCatch(
    {
      suppressWarnings(read_one(kinds[i], bytes))
      "read"
    },
    sprenn_error = function(e) "refused",
    error = function(e) {
      file <- file.path(getwd(), paste0("fuzz-find-", i, "-", kinds[i]))
      writeBin(bytes, file)
      cat("found:", kinds[i], conditionMessage(e), "kept as", basename(file), "\n")
      "found"
    }
  )
  slowest <- max(slowest, proc.time()[["elapsed"]] - began)
  tally[kinds[i], what] <- tally[kinds[i], what] + 1
}

print(tally)

cat(
  sprintf(
    paste0(
      "%d files: %d read, %d refused, %d finds; slowest %.1f s; memory %.0f MB at the start, ",
      "%.0f MB at most\n"
    ),
    count,
    sum(tally[, 1]),
    sum(tally[, 2]),
    sum(tally[, 3]),
    slowest,
    before,
    peak()
  )
)

unlink(work, recursive = TRUE)
quit(status = if (sum(tally[, 3]) > 0) 1 else 0)
