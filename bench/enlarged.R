# Do the measures of enlarging hold on photographs? Photographs out of packages
# (bench/natural/photographs.csv) are brought down, and enlarged again by ImageMagick in several
# ways; the photograph itself is what a perfect enlarger would deliver. Run from the root with the
# package installed and ImageMagick there:
#   Rscript bench/enlarged.R [fit] [N]
# The bounds in R/measure-enlarged.R were set on the part `fit`; without that word the part
# `report` is measured, to which nothing was fitted. N is how many photographs, 24 if left out.
suppressMessages(library(sprenn))
source("bench/natural/gather.R")

given <- commandArgs(TRUE)
part <- if ("fit" %in% given) "fit" else "report"
many <- as.numeric(c(setdiff(given, "fit"), 24)[1])
photographs <- spread_over(gather_photographs(), part, many)

magick <- function(pixels, ...) {
  files <- tempfile(c("in-", "out-"), fileext = ".png")
  on.exit(unlink(files))
  write_pixels(pixels, files[1])
  stopifnot(system2("convert", c(files[1], ..., files[2])) == 0)
  pixels_of(files[2])
}

to_size <- function(size) paste0(paste(size, collapse = "x"), "!")

# Other contents in round patches, as an enlarger leaves them that makes things up.
with_others <- function(pixels, other, share) {
  core("with_drawing_seed")(7, {
    cover <- matrix(0, dim(pixels)[1], dim(pixels)[2])
    radius <- max(dim(cover)) / 16
    while (mean(cover) < share) {
      middle <- c(sample(nrow(cover), 1), sample(ncol(cover), 1))
      away <- sqrt((row(cover) - middle[1])^2 + (col(cover) - middle[2])^2)
      cover <- pmax(cover, pmin(1, pmax(0, (radius - away) / 8)))
    }

    other <- core("resize_picture")(other, dim(pixels)[2:1])
    pixels * (1 - c(cover)) + other * c(cover)
  })
}

# Each way to enlarge: a function of the small picture, the size wanted, the photograph itself and
# another one.
ways <- list(
  "the photograph itself" = function(small, size, whole, other) whole,
  "plain, Lanczos" = function(small, size, whole, other) {
    magick(small, "-filter", "Lanczos", "-resize", to_size(size))
  },
  "plain, Mitchell" = function(small, size, whole, other) {
    magick(small, "-filter", "Mitchell", "-resize", to_size(size))
  },
  "plain, bilinear" = function(small, size, whole, other) {
    magick(small, "-filter", "Triangle", "-resize", to_size(size))
  },
  "nearest pixel" = function(small, size, whole, other) {
    magick(small, "-filter", "Point", "-resize", to_size(size))
  },
  "plain with grain" = function(small, size, whole, other) {
    magick(small, "-resize", to_size(size), "-seed", "5", "-attenuate", "0.3", "+noise", "Gaussian")
  },
  "sharpened a little" = function(small, size, whole, other) {
    magick(small, "-resize", to_size(size), "-unsharp", "0x1+0.7+0")
  },
  "sharpened too much" = function(small, size, whole, other) {
    magick(small, "-resize", to_size(size), "-unsharp", "0x4+3+0")
  },
  "sharpened before, too much" = function(small, size, whole, other) {
    magick(small, "-unsharp", "0x1.5+3+0", "-resize", to_size(size))
  },
  "compressed hard" = function(small, size, whole, other) {
    file <- tempfile(fileext = ".jpg")
    on.exit(unlink(file))
    core("write_drawing")(whole, file, quality = 8)
    pixels_of(file)
  },
  "a tenth of it invented" = function(small, size, whole, other) with_others(whole, other, 0.1),
  "a third of it invented" = function(small, size, whole, other) with_others(whole, other, 0.33)
)

measured <- function(pixels, small, times) {
  frame <- dim(small)[2:1]
  view <- core("view_picture")(pixels, frame)
  before <- core("view_picture")(small, frame)
  on.exit({
    core("drop_view")(view)
    core("drop_view")(before)
  })
  scene <- list(
    enlarged = core("enlargement_of")(pixels, small, frame, times, view, before)
  )
  found <- lapply(
    core("all_measures")()[vapply(core("all_measures")(), `[[`, "", "measure") %in%
      c("detail_gained", "invented", "halos", "enlarged_blocks")],
    function(measure) {
      score <- measure$compute(scene)
      data.frame(measure = measure$measure, value = score$value, level = score$level)
    }
  )
  do.call(rbind, found)
}

rows <- list()
for (times in c(2, 4)) {
  for (i in seq_len(nrow(photographs))) {
    whole <- pixels_of(photograph(photographs$path[i], 1536))
    other <- pixels_of(photograph(photographs$path[i %% nrow(photographs) + 1], 1536))
    base <- dim(whole)[2:1] %/% times
    whole <- whole[seq_len(base[2] * times), seq_len(base[1] * times), ]
    small <- round(core("resize_picture")(whole, base) * 255) / 255
    for (way in names(ways)) {
      made <- ways[[way]](small, base * times, whole, other)
      found <- measured(made, small, times)
      rows <- c(rows, list(cbind(way = way, times = times, photo = i, found)))
    }
  }
}

rows <- do.call(rbind, rows)
cat(nrow(photographs), "photographs of the part", part, "enlarged 2 and 4 times\n")
for (measure in unique(rows$measure)) {
  cat("\n", measure, "\n", sep = "")
  for (times in c(2, 4)) {
    for (way in names(ways)) {
      own <- rows[rows$measure == measure & rows$way == way & rows$times == times, ]
      at <- stats::quantile(own$value, c(0.05, 0.5, 0.95))
      cat(
        sprintf(
          "  %dx %-28s %7.3f %7.3f %7.3f   flawed %3.0f %%, serious %3.0f %%\n",
          times,
          way,
          at[1],
          at[2],
          at[3],
          100 * mean(own$level != "none"),
          100 * mean(own$level == "serious")
        )
      )
    }
  }
}
