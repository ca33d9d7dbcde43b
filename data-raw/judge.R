# Makes inst/standins/judge.rds: what the stand-in judges see by. Nets of one hidden layer,
# fitted to drawn pictures of which everything is known. Run from the root with the
# package installed; about twenty minutes. Prints how often each is right on drawings that it
# was not fitted to.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
drawn <- function(seed, ...) core("drawn_example")(seed, ...)
seeds <- 20000 + seq_len(as.integer(Sys.getenv("EXAMPLES", "3000")))
held_out <- 90000 + seq_len(length(seeds) / 8)

# What the first net sees at places.
seen_at <- function(picture, at) {
  planes <- core("thing_planes")(picture)
  core("window_facts")(planes, core("cells_of")(planes, at))
}

collect <- function(seeds) {
  one <- function(seed) {
    example <- drawn(seed)
    facts <- core("sight_facts")(example$picture)
    at <- example$small
    # Besides the things themselves: places beside them, and anywhere. Kites of the tile
    # of kite hill stand at places that are not known.
    windows <- if (core("counts_kites")(example)) {
      near <- if (!is.null(at)) {
        data.frame(
          thing = rep(at$thing, 3),
          x = rep(at$x, 3) + stats::runif(3 * nrow(at), -0.01, 0.01),
          y = rep(at$y, 3) + stats::runif(3 * nrow(at), -0.015, 0.015)
        )
      }
      off <- if (!is.null(at)) {
        data.frame(
          thing = "none",
          x = at$x +
            sample(c(-1, 1), nrow(at), TRUE) * stats::runif(nrow(at), 0.04, 0.08),
          y = at$y + stats::runif(nrow(at), -0.05, 0.05)
        )
      }
      any <- data.frame(thing = "none", x = stats::runif(30), y = stats::runif(30))
      all <- rbind(near, off, any)
      clear <- vapply(
        seq_len(nrow(all)),
        function(i) {
          all$thing[i] != "none" ||
            is.null(at) ||
            all(abs(at$x - all$x[i]) > 0.035 | abs(at$y - all$y[i]) > 0.06)
        },
        NA
      )
      all[clear, ]
    }
    list(
      example = example[c("tile", "small", "sky", "light", "manner", "marks")],
      facts = facts,
      windows = windows,
      patches = if (!is.null(windows)) seen_at(example$picture, windows)
    )
  }

  parallel::mclapply(seeds, function(seed) withr::with_seed(seed, one(seed)), mc.cores = 2)
}

set.seed(1)
train <- collect(seeds)
cat("drawn", length(train), "\n")

stack <- function(some, part) do.call(rbind, lapply(some, function(one) one$facts[[part]]))
truth <- function(some, what) vapply(some, function(one) one$example[[what]], "")
marked <- function(some, mark) vapply(some, function(one) mark %in% one$example$marks, NA)

# One hidden layer of logistic units, weights shrunk by `decay`, fitted by Adam (Kingma and
# Ba 2015) in shuffled batches of 256.
fit_net <- function(facts, answers, hidden, decay = 1e-4, epochs = 60) {
  centre <- colMeans(facts)
  spread <- apply(facts, 2, stats::sd) + 1e-6
  facts <- cbind(1, sweep(sweep(facts, 2, centre), 2, spread, "/"))
  several <- is.factor(answers)
  out <- if (several) {
    1 * outer(as.integer(answers), seq_along(levels(answers)), `==`)
  } else {
    matrix(answers + 0)
  }
  weights <- list(
    first = matrix(rnorm(ncol(facts) * hidden, sd = 1 / sqrt(ncol(facts))), ncol(facts)),
    second = matrix(rnorm((hidden + 1) * ncol(out), sd = 0.3), hidden + 1)
  )
  moment <- lapply(weights, function(w) list(m = 0 * w, v = 0 * w))
  step <- 0
  steps <- epochs * ceiling(nrow(facts) / 256)
  for (epoch in seq_len(epochs)) {
    for (rows in split(sample(nrow(facts)), ceiling(seq_len(nrow(facts)) / 256))) {
      step <- step + 1
      x <- facts[rows, , drop = FALSE]
      h <- cbind(1, 1 / (1 + exp(-x %*% weights$first)))
      z <- h %*% weights$second
      p <- if (several) exp(z - apply(z, 1, max)) else 1 / (1 + exp(-z))
      if (several) {
        p <- p / rowSums(p)
      }

      error <- (p - out[rows, , drop = FALSE]) / length(rows)
      back <- (error %*% t(weights$second))[, -1, drop = FALSE] *
        h[, -1, drop = FALSE] *
        (1 - h[, -1, drop = FALSE])
      slope <- list(
        first = crossprod(x, back) + decay * weights$first,
        second = crossprod(h, error) + decay * weights$second
      )
      rate <- 0.006 * (1 - 0.95 * step / steps)
      for (layer in names(weights)) {
        moment[[layer]]$m <- 0.9 * moment[[layer]]$m + 0.1 * slope[[layer]]
        moment[[layer]]$v <- 0.999 * moment[[layer]]$v + 0.001 * slope[[layer]]^2
        weights[[layer]] <- weights[[layer]] -
          rate *
            (moment[[layer]]$m / (1 - 0.9^step)) /
            (sqrt(moment[[layer]]$v / (1 - 0.999^step)) + 1e-8)
      }
    }
  }

  lapply(c(list(centre = centre, spread = spread), weights), signif, 4)
}

model <- list()
tiles <- core("tile_names")()

# What stands there, in pictures cut out of tall ones too.
cut_out <- parallel::mclapply(
  300000 + seq_len(length(seeds) %/% 2),
  function(seed) {
    example <- drawn(seed, list(tall = TRUE))
    list(
      example = example["tile"],
      facts = list(scene = core("sight_facts")(example$picture)$scene)
    )
  },
  mc.cores = 2
)

set.seed(4)

model$tile <- fit_net(
  stack(c(train, cut_out), "scene"),
  factor(truth(c(train, cut_out), "tile"), tiles),
  64,
  1e-3
)

set.seed(2)
light_levels <- c("plain", names(core("light_words")()))
model$light <- fit_net(stack(train, "light"), factor(truth(train, "light"), light_levels), 12)

for (mark in c("scratches", "lettering", "frame")) {
  model[[mark]] <- fit_net(
    stack(train, c(scratches = "wear", lettering = "low", frame = "rim")[[mark]]),
    marked(train, mark),
    12
  )
}

cat("scenes, light and marks fitted\n")

# The sky: for each colour how far is near enough, by logistic regression on the distance.
box <- grDevices::col2rgb(core("paint_box")()) / 255
plain <- Filter(function(one) !is.na(one$example$sky) && one$example$light == "plain", train)
skies <- stack(plain, "sky")

model$sky <- vapply(
  colnames(box),
  function(colour) {
    distance <- sqrt(colSums(((t(skies) - box[, colour]) * c(1.2, 1.4, 1))^2))
    own <- truth(plain, "sky") == colour
    fit <- suppressWarnings(stats::glm(
      own ~ distance,
      family = stats::binomial(),
      weights = ifelse(own, 4, 1)
    ))
    c(
      at = signif(unname(-stats::coef(fit)[1] / stats::coef(fit)[2]), 4),
      width = signif(max(0.01, unname(-1 / stats::coef(fit)[2])), 4)
    )
  },
  numeric(2)
)

# Small things, first from afar: with places at random, then also with those that were
# taken for one.
small <- c("none", core("small_things"))
patches <- do.call(rbind, lapply(train, `[[`, "patches"))
labels <- unlist(lapply(train, function(one) one$windows$thing))
set.seed(3)
model$small <- list(far = fit_net(patches, factor(labels, small), 48, 2e-5, 12))
cat("small things fitted once\n")

# How far places are from the next small thing, and which that is.
next_thing <- function(example, x, y) {
  if (is.null(example$small)) {
    return(data.frame(thing = rep("none", length(x)), x = Inf, y = Inf))
  }

  at <- vapply(
    seq_along(x),
    function(i) {
      which.min(
        (1.5 * (example$small$x - x[i]))^2 + (example$small$y - y[i])^2
      )
    },
    1L
  )
  data.frame(
    thing = example$small$thing[at],
    x = abs(example$small$x[at] - x),
    y = abs(example$small$y[at] - y)
  )
}

mistaken <- function(seed) {
  example <- drawn(seed)
  if (!core("counts_kites")(example)) {
    return(NULL)
  }

  # Everywhere, in steps of a cell.
  planes <- core("thing_planes")(example$picture)
  places <- expand.grid(
    y = (seq_len(planes$rows) - 0.5) / planes$rows,
    x = (seq_len(planes$columns) - 0.5) / planes$columns
  )
  facts <- core("window_facts")(planes, core("cells_of")(planes, places))
  best <- apply(core("run_net")(model$small$far, facts)[, -1], 1, max)
  next_one <- next_thing(example, places$x, places$y)
  near <- next_one$x < 0.045 & next_one$y < 0.08
  worst <- utils::head(order(-ifelse(near, 0, best)), 16)
  facts[worst[best[worst] > 0.1 & !near[worst]], , drop = FALSE]
}

wrong <- do.call(
  rbind,
  parallel::mclapply(seeds[seq_len(length(seeds) %/% 2)], mistaken, mc.cores = 2)
)

cat("mistaken for a thing:", NROW(wrong), "\n")

model$small$far <- fit_net(
  rbind(patches, wrong),
  factor(c(labels, rep("none", NROW(wrong))), small),
  48,
  2e-5,
  16
)

rm(patches, wrong)

# Then closer, at places that the first net takes for possible and around the things
# themselves, in drawings of which half are new to it. A place a little off a thing is neither.
closer <- function(seed) {
  example <- drawn(seed)
  if (!core("counts_kites")(example)) {
    return(NULL)
  }

  light <- core("sight_facts")(example$picture)$light
  at <- example$small
  there <- if (!is.null(at)) {
    core("closer_look")(
      example$picture,
      model$small,
      light,
      data.frame(
        x = rep(at$x, 3) + stats::runif(3 * nrow(at), -0.012, 0.012),
        y = rep(at$y, 3) + stats::runif(3 * nrow(at), -0.018, 0.018)
      )
    )
  }
  possible <- core("closer_look")(example$picture, model$small, light)
  next_one <- next_thing(example, possible$x, possible$y)
  is_one <- next_one$x < 0.015 & next_one$y < 0.022
  is_none <- next_one$x > 0.035 | next_one$y > 0.055
  rows <- which(is_one | is_none)
  if (length(rows) > 30) {
    rows <- sample(rows, 30)
  }

  list(
    facts = rbind(there$facts, possible$facts[rows, , drop = FALSE]),
    thing = c(rep(at$thing, 3), ifelse(is_one, next_one$thing, "none")[rows])
  )
}

near_seeds <- c(seeds, 200000 + seq_len(length(seeds)))

close <- parallel::mclapply(
  near_seeds,
  function(seed) withr::with_seed(seed, closer(seed)),
  mc.cores = 2
)

patches <- do.call(rbind, lapply(close, `[[`, "facts"))
labels <- unlist(lapply(close, `[[`, "thing"))
cat("places looked at closer:", nrow(patches), "\n")
print(table(labels))
model$small$near <- fit_net(patches, factor(labels, small), 64, 5e-5, 16)
rm(close, patches)

# How often a sight is right, by how strong it is, on drawings that it was not fitted to.
sights <- do.call(
  rbind,
  parallel::mclapply(
    80000 + seq_len(max(200, length(seeds) / 8)),
    function(seed) {
      example <- drawn(seed)
      if (!core("counts_kites")(example)) {
        return(NULL)
      }

      places <- core("closer_look")(
        example$picture,
        model$small,
        core("sight_facts")(example$picture)$light
      )
      do.call(
        rbind,
        lapply(seq_along(small[-1]), function(k) {
          best <- core("sights_of")(places$odds[, k], places)
          true <- example$small[example$small$thing == small[k + 1], ]
          right <- rep(FALSE, nrow(best))
          for (i in seq_len(nrow(best))) {
            near <- which(
              abs(true$x - best$x[i]) * 1.5 < 0.07 & abs(true$y - best$y[i]) < 0.09
            )
            if (length(near)) {
              right[i] <- TRUE
              true <- true[-near[1], ]
            }
          }

          data.frame(k = rep(k, nrow(best)), odds = best$odds, right = right)
        })
      )
    },
    mc.cores = 2
  )
)

model$small$sure <- vapply(
  seq_along(small[-1]),
  function(k) {
    signif(
      unname(stats::coef(stats::glm(right ~ odds, stats::binomial(), sights[sights$k == k, ]))),
      4
    )
  },
  numeric(2)
)

print(model$small$sure)
saveRDS(model, "inst/standins/judge.rds", version = 3, compress = "xz")
cat("judge.rds:", file.size("inst/standins/judge.rds"), "bytes\n")

# How often it is right.
getFromNamespace("judge_memory", "sprenn")$use(model)
test <- lapply(held_out, drawn)

sights <- parallel::mclapply(
  test,
  function(example) core("see_picture")(example$picture),
  mc.cores = 2
)

right <- function(what, code) cat(sprintf("%-12s %.3f\n", what, mean(code)))

right(
  "tile",
  vapply(
    seq_along(test),
    function(i) names(which.max(sights[[i]]$tile)) == test[[i]]$tile,
    NA
  )
)

right(
  "light",
  vapply(
    seq_along(test),
    function(i) names(which.max(sights[[i]]$light)) == test[[i]]$light,
    NA
  )
)

for (mark in c("scratches", "lettering", "frame")) {
  right(
    mark,
    vapply(
      seq_along(test),
      function(i) (sights[[i]]$marks[[mark]] > 0.5) == (mark %in% test[[i]]$marks),
      NA
    )
  )
}

coloured <- which(vapply(test, function(one) !is.na(one$sky) && one$light == "plain", NA))

right(
  "sky",
  vapply(coloured, function(i) names(which.max(sights[[i]]$sky)) == test[[i]]$sky, NA)
)

counted <- which(vapply(test, core("counts_kites"), NA))

for (thing in core("small_things")) {
  true <- vapply(counted, function(i) sum(test[[i]]$small$thing == thing), 0)
  seen <- vapply(
    counted,
    function(i) {
      which.max(core("count_odds")(sights[[i]]$small$sure[sights[[i]]$small$thing == thing])) -
        1
    },
    0
  )
  cat(
    sprintf(
      "%-12s count right %.3f, there or not %.3f, off by one at most %.3f\n",
      thing,
      mean(true == seen),
      mean((true > 0) == (seen > 0)),
      mean(abs(true - seen) <= 1)
    )
  )
}
