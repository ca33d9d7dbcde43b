# Makes R/sysdata.rda: the space in which styles are compared, learned from
# drawn scenes in many restyles. Run from the root with the package installed
# (an older style space does no harm: only the raw style vectors are used).
source("bench/pictures.R")

scenes <- lapply(1:48, draw_scene)
looks <- c(list(as_is = identity), restyles()$tuning)
vector_of <- function(p) core("view_picture")(p)$style
table <- lapply(names(looks), function(look) {
  t(vapply(seq_along(scenes), function(i) vector_of(restyle(scenes[[i]], looks[[look]], i)), vector_of(scenes[[1]])))
})
names(table) <- names(looks)

clip <- 4
all <- do.call(rbind, table)
centre <- colMeans(all)
spread <- apply(all, 2, sd) + 1e-6
scaled <- lapply(table, function(m) {
  z <- sweep(sweep(m, 2, centre), 2, spread, "/")
  pmin(pmax(z, -clip), clip)
})
# What content does within one look, shrunk towards its own diagonal since
# there are few scenes for so many entries.
within <- Reduce(`+`, lapply(scaled, cov)) / length(scaled)
shrink <- 0.3
within <- (1 - shrink) * within + shrink * mean(diag(within)) * diag(ncol(within))
eigen <- eigen(within, symmetric = TRUE)
whitening <- eigen$vectors %*% diag(1 / sqrt(eigen$values)) %*% t(eigen$vectors)
position <- lapply(scaled, function(m) m %*% whitening)

distance <- function(a, b) sqrt(rowSums((a - b)^2))
pairs <- combn(length(position), 2)
between <- median(apply(pairs, 2, function(k) distance(position[[k[1]]], position[[k[2]]])))
one_look <- median(unlist(lapply(position, function(m) {
  vapply(seq_len(nrow(m)), function(i) sqrt(sum((m[i, ] - colMeans(m[-i, ]))^2)), numeric(1))
})))
style_space <- list(
  centre = centre, spread = spread, clip = clip, whitening = unname(whitening),
  between = between, within = one_look
)
save(style_space, file = "R/sysdata.rda", version = 3, compress = "xz")
cat("between looks", round(between, 2), " within one look", round(one_look, 2), "\n")
