# Likeness: faces of one man and of strangers, as photographs and under looks, out of a picture in
# a package of npm: 6 rows of 18 small faces. The man is in all of the first row; the last three
# have others. Rows are sorted by an earlier version of the same net, so that he is easier to tell
# there than elsewhere; strangers are not chosen by it.
source("bench/natural/gather.R")
source("bench/natural/looks.R")
source("bench/judges/asking.R")

faces_from_npm <- function() {
  folder <- unpack_from_npm("@vladmandic/human@3.3.6")
  sheet <- pixels_of(file.path(folder, "package/assets/screenshot-facematch.jpg"))
  places <- expand.grid(column = 0:17, row = 0:5)
  lapply(seq_len(nrow(places)), function(i) {
    top <- round(283 + 112.6 * places$row[i])
    left <- round(106.7 * places$column[i])
    tile <- sheet[top + 1:104, left + seq_len(min(104, 1920 - left)), ]
    core("resize_picture")(tile, c(416L, 416L))
  })
}

descriptors_of <- function(findings) {
  lapply(findings, function(one) {
    at <- which.max(one$faces$sure)
    if (length(at) && one$faces$sure[at] >= 0.3) one$faces$descriptor[at, ]
  })
}

cosine_of <- function(one, other) {
  if (is.null(one) || is.null(other)) NA_real_ else core("cosine")(matrix(one, 1), other)
}

tiles <- faces_from_npm()
same <- 1:18
strangers <- 55:108
plain <- descriptors_of(kept_findings("people", "tiles", lapply(tiles, function(one) function() one)))
pairs <- function(at, to = at) {
  each <- outer(at, to, Vectorize(function(i, j) cosine_of(plain[[i]], plain[[j]])))
  if (identical(at, to)) each[upper.tri(each)] else c(each)
}
man <- stats::na.omit(pairs(same))
others <- stats::na.omit(pairs(strangers))
cat(sprintf("faces found in %d of %d\n", sum(lengths(plain) > 0), length(plain)))
show <- function(x) toString(format(stats::quantile(x, c(0.05, 0.5, 0.95)), digits = 2))
cat(
  "cosine, 5 %, 50 %, 95 %: one man in different photographs ", show(man), "; strangers ",
  show(others), "\n",
  sprintf("area under the curve %.3f\n", area_under(man, others)),
  sep = ""
)

# One face before and after a look, against strangers of that look.
chosen <- c(same[c(1, 7, 14)], strangers[seq(1, 54, length.out = 15)])
folder <- file.path(kept_in(), "faces")
dir.create(folder, recursive = TRUE, showWarnings = FALSE)
names <- names(natural_looks)
names <- names[round(seq(1, length(names), length.out = 12))]
for (name in names) {
  files <- file.path(folder, paste0(name, "-", chosen, ".png"))
  for (k in which(!file.exists(files))) {
    from <- file.path(folder, paste0("plain-", chosen[k], ".png"))
    write_pixels(tiles[[chosen[k]]], from)
    natural_looks[[name]]$make(from, files[k])
  }

  made <- file.exists(files)
  styled <- descriptors_of(kept_findings(
    "people", c("tiles", name, chosen[made]),
    lapply(files[made], function(file) function() pixels_of(file))
  ))
  at <- chosen[made]
  each <- outer(seq_along(at), seq_along(at), Vectorize(function(i, j) {
    cosine_of(plain[[at[i]]], styled[[j]])
  }))
  own <- stats::na.omit(diag(each))
  apart <- outer(at, at, function(i, j) i != j & !(i %in% same & j %in% same))
  other <- stats::na.omit(each[apart])
  if (length(own) < 2) {
    cat(sprintf("%-16s found %2d of %2d\n", name, sum(lengths(styled) > 0), length(at)))
    next
  }

  cat(sprintf(
    "%-16s found %2d of %2d, same %.2f, strangers %.2f, area under the curve %.3f\n",
    name, sum(lengths(styled) > 0), length(at), stats::median(own), stats::median(other),
    area_under(own, other)
  ))
}
