# What enlarging did to a take, as facts for its measures (measure-enlarged.R).

# What a picture of `times` the size shows that the picture before it does not. `pixels` is at its
# full size, `before` (what the step was given, or NULL) at any. `frame` is what both are compared
# in, `view` and `view_before` are their views there.
enlargement_of <- function(pixels, before, frame, times, view, view_before) {
  size <- dim(pixels)[2:1]
  base <- pmax(1L, as.integer(round(size / times)))
  # Where no step made a picture before, it is the take itself without what is finer.
  plain <- resized(before %||% resized(pixels, base), size)
  full <- view_picture(pixels, size)
  on.exit(drop_view(full))
  found <- list(
    times = times,
    gained = finest_detail(pixels, base) / finest_detail(plain, base),
    blocks = max(0, full$blocks - if (is.null(view_before)) 0 else view_before$blocks)
  )
  if (!is.null(before)) {
    found$halos <- halos_beside(
      luma_of(resized(pixels, base)),
      luma_of(resized(before, base))
    )
    found$invented <- core_unmatched(view$handle, view_before$handle, NULL)
  }

  found
}

# Detail finer than the picture before could have, as a share of the finest that it had. Just above
# that limit lies what filters leave that enlarge plainly, so it is taken from a little further up.
# It counts where there is some coarse detail, and what is in plain parts as well is grain and taken
# off.
finest_detail <- function(pixels, base) {
  size <- dim(pixels)[2:1]
  without_finer <- function(edges) luma_of(resized(resized(pixels, edges), size))
  fine <- (luma_of(pixels) - without_finer(as.integer(round(finer_from * base))))^2
  coarse <- (without_finer(base) - without_finer(pmax(1L, base %/% 2L)))^2
  # Rich and plain parts, in patches as wide as a sixteenth of the picture.
  around <- core_blur(coarse, max(size) / 64)
  rich <- around >= stats::quantile(around, 0.75)
  bare <- around <= stats::quantile(around, 0.25)
  grain <- mean(fine[bare])
  sqrt(max(1e-8, mean(fine[rich]) - grain) / max(mean(coarse[rich]), 1e-8))
}

# In sizes of the picture before: filters that enlarge plainly reach no further.
finer_from <- 1.5

# How far the take goes beyond what is around the same place before, beside strong contours: a share
# of the contours' contrast.
halos_beside <- function(luma, before) {
  highest <- extreme_around(before, halo_reach, pmax)
  lowest <- extreme_around(before, halo_reach, pmin)
  contrast <- highest - lowest
  strong <- contrast > strong_contrast
  if (mean(strong) < 0.001) {
    return(0)
  }

  beyond <- pmax(luma - highest, lowest - luma, 0)
  mean(beyond[strong]) / mean(contrast[strong])
}

# In pixels of the picture before, and of its whole range of light.
halo_reach <- 2
strong_contrast <- 0.2

# The largest or smallest value within `reach` pixels, across and down.
extreme_around <- function(plane, reach, of) {
  rows <- seq_len(nrow(plane))
  columns <- seq_len(ncol(plane))
  found <- plane
  for (by in c(-seq_len(reach), seq_len(reach))) {
    found <- of(found, plane[pmin(max(rows), pmax(1, rows + by)), ])
  }

  plane <- found
  for (by in c(-seq_len(reach), seq_len(reach))) {
    found <- of(found, plane[, pmin(max(columns), pmax(1, columns + by))])
  }

  found
}

luma_of <- function(pixels) {
  pixels[, , 1] * 0.299 + pixels[, , 2] * 0.587 + pixels[, , 3] * 0.114
}

resized <- function(pixels, size) core_resize(pixels, size[1], size[2])
