# Makes R/sysdata.rda: the space in which styles are compared, learned from the `fit` half of
# bench/natural (photographs and looks) and from drawn scenes in many restyles. Run from the
# root with the package installed, a quarter of an hour the first time (an older style space
# does no harm: only the raw style vectors are used).
source("bench/pictures.R")
source("bench/natural/gather.R")
source("bench/natural/looks.R")

n_photographs <- 40
n_scenes <- 24

vectors_of <- function(jobs, picture) {
  rows <- parallel::mclapply(
    seq_len(nrow(jobs)),
    function(k) core("view_picture")(picture(jobs$content[k], jobs$look[k]))$style,
    mc.cores = 2
  )
  do.call(rbind, rows)
}

paths <- vapply(
  spread_over(gather_photographs(), "fit", n_photographs)$path,
  photograph,
  "",
  edge = 512
)

natural <- expand.grid(
  content = seq_along(paths),
  look = c("as_is", names(looks_of("fit"))),
  stringsAsFactors = FALSE
)

natural_vectors <- vectors_of(natural, function(i, look) {
  pixels_of(if (look == "as_is") paths[i] else in_look(paths[i], look))
})

scenes <- lapply(seq_len(n_scenes), draw_scene)
restyled <- c(list(as_is = identity), restyles()$tuning)

drawn <- expand.grid(
  content = seq_len(n_scenes),
  look = names(restyled),
  stringsAsFactors = FALSE
)

drawn_vectors <- vectors_of(drawn, function(i, look) restyle(scenes[[i]], restyled[[look]], i))

clip <- 2.5
centre <- apply(natural_vectors, 2, stats::median)
spread <- apply(natural_vectors, 2, stats::sd) + 1e-6

scaled <- function(vectors) {
  pmin(pmax(sweep(sweep(vectors, 2, centre), 2, spread, "/"), -clip), clip)
}

looks_in <- function(jobs, z) {
  lapply(
    split(seq_len(nrow(jobs)), jobs$look)[setdiff(unique(jobs$look), "as_is")],
    function(rows) z[rows, ]
  )
}

natural_z <- scaled(natural_vectors)
in_looks <- list(looks_in(natural, natural_z), looks_in(drawn, scaled(drawn_vectors)))

# What content does within one look, photographs and drawings counting alike.
within_of <- function(looks) {
  Reduce(`+`, lapply(looks, function(z) crossprod(sweep(z, 2, colMeans(z))) / nrow(z))) /
    length(looks)
}

within <- (within_of(in_looks[[1]]) + within_of(in_looks[[2]])) / 2
ridge <- 0.1
turned <- eigen(within + ridge * diag(ncol(within)), symmetric = TRUE)
whitening <- turned$vectors %*% diag(1 / sqrt(turned$values)) %*% t(turned$vectors)

# The axes are turned so that the first are those along which looks lie farthest from
# photographs in general.
photographs <- colMeans(natural_z[natural$look == "as_is", ])
means <- do.call(rbind, lapply(unlist(in_looks, recursive = FALSE), colMeans)) %*% whitening

apart <- eigen(
  crossprod(sweep(means, 2, drop(photographs %*% whitening))) / nrow(means),
  symmetric = TRUE
)

whitening <- whitening %*% apart$vectors
between_axes <- pmax(apart$values, 0)
weight <- pmax(between_axes / (between_axes + 2), 0.02)

position <- lapply(in_looks[[1]], function(z) z %*% whitening)
distance <- function(a, b) sqrt(rowSums(sweep((a - b)^2, 2, weight, `*`)))
pairs <- utils::combn(length(position), 2)

style_space <- list(
  centre = centre,
  spread = spread,
  clip = clip,
  whitening = unname(whitening),
  weight = weight,
  photographs = drop(photographs %*% whitening),
  between = stats::median(
    apply(pairs, 2, function(k) distance(position[[k[1]]], position[[k[2]]]))
  ),
  within = stats::median(
    unlist(lapply(position, function(m) {
      vapply(
        seq_len(nrow(m)),
        function(i) drop(distance(m[i, , drop = FALSE], matrix(colMeans(m[-i, ]), 1))),
        0
      )
    }))
  ),
  # How far takes in a look come along the way to it, what makes even steps of blends, and how
  # far aside of the way takes in the look usually lie: read off the `fit` half.
  arrived = 0.91,
  bend = 0.6,
  aside = 5
)

save(style_space, file = "R/sysdata.rda", version = 3, compress = "xz")

cat(
  "between looks", round(style_space$between, 2), " within one look",
  round(style_space$within, 2), "\n"
)
