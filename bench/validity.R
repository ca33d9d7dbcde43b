# Do the measures move when what they name moves, and stay when other things
# move? Run from the root with the package installed:
#   Rscript bench/validity.R
# Pictures and restyles named held-out took no part in making the style space.
source("bench/pictures.R")

scenes <- lapply(101:124, draw_scene)
looks <- restyles()
frame <- c(384, 256)
view <- function(p) core("view_picture")(p, frame)
agreement <- core("orientation_agreement")
rescale <- core("rescale_from_chance")

# Chance that a member of `high` exceeds one of `low`, ties counted half.
auc <- function(high, low) {
  r <- rank(c(high, low))
  n <- length(high)
  (sum(r[seq_len(n)]) - n * (n + 1) / 2) / (n * length(low))
}

# Structural similarity of luminance (Wang et al. 2004), 7 px Gaussian-like
# window, as the yardstick that people would otherwise use.
ssim <- function(p, q) {
  across <- function(n) {
    weights <- exp(-0.5 * (outer(seq_len(n), seq_len(n), `-`) / 1.5)^2)
    weights / rowSums(weights)
  }
  smooth <- function(m) across(nrow(m)) %*% m %*% t(across(ncol(m)))
  x <- luminance(p)
  y <- luminance(q)
  mx <- smooth(x)
  my <- smooth(y)
  vx <- smooth(x^2) - mx^2
  vy <- smooth(y^2) - my^2
  cxy <- smooth(x * y) - mx * my
  mean((2 * mx * my + 1e-4) * (2 * cxy + 9e-4) / ((mx^2 + my^2 + 1e-4) * (vx + vy + 9e-4)))
}

views <- lapply(scenes, view)
stranger <- function(i) (i + 6) %% length(scenes) + 1

structure_table <- function(set, label) {
  rows <- lapply(names(set), function(name) {
    takes <- lapply(seq_along(scenes), function(i) restyle(scenes[[i]], set[[name]], i))
    seen <- lapply(takes, view)
    strangers <- function(i) setdiff(seq_along(scenes), i)[seq(1, 23, by = 2)]
    own <- mapply(agreement, seen, views)
    other <- unlist(lapply(seq_along(seen), function(i) vapply(strangers(i), function(j) agreement(seen[[i]], views[[j]]), 0)))
    own_ssim <- mapply(ssim, takes, scenes)
    other_ssim <- vapply(seq_along(takes), function(i) ssim(takes[[i]], scenes[[stranger(i)]]), 0)
    mirrored <- vapply(seq_along(seen), function(i) {
      flipped <- view(mirror(takes[[i]]))
      agreement(flipped, core("mirror_orientation")(views[[i]])) > agreement(flipped, views[[i]])
    }, logical(1))
    straight <- vapply(seq_along(seen), function(i) {
      agreement(seen[[i]], views[[i]]) > agreement(seen[[i]], core("mirror_orientation")(views[[i]]))
    }, logical(1))
    data.frame(
      set = label, restyle = name, own = mean(own), stranger = mean(other),
      auc = auc(own, other), ssim_auc = auc(own_ssim, other_ssim),
      mirror_told = mean(c(mirrored, straight))
    )
  })
  do.call(rbind, rows)
}
found <- rbind(structure_table(looks$tuning, "tuning"), structure_table(looks$held_out, "held out"))
print(format(found, digits = 3), row.names = FALSE)
for (set in unique(found$set)) {
  some <- found[found$set == set, ]
  cat(sprintf(
    "%s: structure told from strangers %.4f overall, %.4f worst (%s); SSIM %.4f overall, %.4f worst; mirror told %.3f\n",
    set, mean(some$auc), min(some$auc), some$restyle[which.min(some$auc)],
    mean(some$ssim_auc), min(some$ssim_auc), mean(some$mirror_told)
  ))
}

# Ladders: rank correlation of structure with the strength of a warp, taken on
# restyled pictures; and how far a restyle alone moves it.
steps <- c(0, 0.01, 0.02, 0.04, 0.07, 0.11, 0.16)
ladder <- vapply(seq_along(scenes), function(i) {
  f <- looks$held_out[[1 + i %% length(looks$held_out)]]
  take <- restyle(scenes[[i]], f, i)
  score <- vapply(steps, function(s) agreement(view(warped(take, s, i)), views[[i]]), 0)
  -cor(score, steps, method = "spearman")
}, 0)
cat(sprintf("warp ladder: rank correlation %.3f mean, %.3f worst\n", mean(ladder), min(ladder)))

# Style: any restyle changes it more than any warp; the look is named on other
# content from two examples, among the held-out looks.
change <- function(a, b) core("style_distance")(a$style, b$style) / core("style_space")$between
by_restyle <- unlist(lapply(looks$held_out, function(f) {
  vapply(1:12, function(i) change(view(restyle(scenes[[i]], f, i)), views[[i]]), 0)
}))
by_warp <- unlist(lapply(c(0.02, 0.07, 0.16), function(s) {
  vapply(1:12, function(i) change(view(warped(scenes[[i]], s, i)), views[[i]]), 0)
}))
cat(sprintf(
  "style change: restyles %.2f (5%% %.2f), warps %.2f (95%% %.2f), restyle above warp %.4f\n",
  mean(by_restyle), quantile(by_restyle, 0.05), mean(by_warp), quantile(by_warp, 0.95),
  auc(by_restyle, by_warp)
))
styles <- lapply(looks$held_out, function(f) {
  lapply(seq_along(scenes), function(i) view(restyle(scenes[[i]], f, i))$style)
})
right <- unlist(lapply(names(styles), function(name) {
  vapply(3:24, function(i) {
    distance <- vapply(styles, function(s) core("style_distance")(styles[[name]][[i]], (s[[1]] + s[[2]]) / 2), 0)
    names(which.min(distance)) == name
  }, logical(1))
}))
cat(sprintf("look named on other content, among %d: %.3f\n", length(styles), mean(right)))

# Flaws: told at their serious level, and quiet on clean restyled pictures.
levels_of <- function(take, reference) {
  scene <- core("new_scene")(take, reference, decoys = views[1:6])
  rows <- core("score_scene")(scene)
  setNames(rows$level[rows$axis == "flaws"], rows$measure[rows$axis == "flaws"])
}
clean <- do.call(rbind, lapply(looks$held_out, function(f) {
  t(vapply(1:24, function(i) levels_of(view(restyle(scenes[[i]], f, i)), views[[i]]), character(4)))
}))
with_bars <- function(p, i) {
  depth <- round(dim(p)[1] * (0.04 + 0.01 * (i %% 5)))
  # Black, white or grey in turn, but never what the picture has there anyway: a
  # bar that nobody can see is no flaw.
  colours <- c(0, 1, 0.5)[1 + (i + 0:2) %% 3]
  seen <- abs(colours - mean(p[depth + 1:4, , ])) > 0.15
  p[seq_len(depth), , ] <- colours[seen][1]
  p
}
broken <- do.call(rbind, lapply(1:24, function(i) {
  take <- restyle(scenes[[i]], looks$held_out[[1 + i %% 12]], i)
  reference <- views[[i]]
  data.frame(
    bars = levels_of(view(with_bars(take, i)), reference)[["bars"]],
    blank = levels_of(view(array(0.3 + 0.02 * (i %% 9), dim(take))), reference)[["blank"]],
    near_copy = levels_of(view(clamp(scenes[[i]] + seeded(i, rnorm(length(take), sd = 0.01)))), reference)[["near_copy"]],
    mirrored = levels_of(view(mirror(take)), reference)[["mirrored"]]
  )
}))
for (flaw in names(broken)) {
  cat(sprintf(
    "flaw %-9s found %.3f, serious when there %.3f; false alarms on clean pictures %.3f\n",
    flaw, mean(broken[[flaw]] != "none"), mean(broken[[flaw]] == "serious"), mean(clean[, flaw] != "none")
  ))
}
