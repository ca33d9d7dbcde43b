# Made-up worlds whose truth is known, for the benches of choosing.

brief <- list(
  brief = "x",
  weights = c(structure = 0.4, adherence = 0.3, style = 0.3),
  floors = c(structure = 0.35, adherence = NA, style = NA),
  style = "reach the look",
  confidence = 0.9,
  draws = 1000L,
  seed = 1L
)

# plain: cases that are hard for all, cases that are hard for some, luck, failures.
# family: one engine at several settings, whose worth runs in a curve.
# many: 12 to 30 pipelines.
# outlier: one pipeline far worse than the others.
# heavy tails: Student's t with 3 degrees of freedom wherever there is chance.
# skewed: what happens to a take is more often slightly good than bad, and then badly so.
# two kinds of cases: some pipelines are better at one kind, some at the other.
# at the floor: a large share of takes fall just below the floor of structure.
# shared references: 12 cases or more of few references, each in several looks.
# silent judge: of each pipeline a share of cases has no evidence on the prompt.
# unequal takes: cases have from one seed to all, and some pipelines lack some cases.
kinds <- c(
  "plain", "family", "many", "outlier", "heavy tails", "skewed", "two kinds of cases",
  "at the floor", "shared references", "silent judge", "unequal takes"
)

# Pipelines differ by about `apart` on each axis, and by as much on all of them together.
new_world <- function(seed, kind = "plain", apart = NULL, pipelines = NULL) {
  withr::local_seed(seed)
  few <- sample(2:8, 1)
  many <- sample(c(12, 20, 30), 1)
  n <- if (!is.null(pipelines)) {
    pipelines
  } else if (kind == "many") {
    many
  } else {
    few
  }
  apart <- if (is.null(apart)) sample(c(0.01, 0.03, 0.06, 0.12), 1) else apart
  own <- matrix(stats::rnorm(3 * n, 0, apart), n) + stats::rnorm(n, 0, apart)
  if (kind == "family") {
    along <- seq(-1, 1, length.out = n)
    rising <- outer(along, stats::rnorm(3, 0, apart))
    bending <- outer(along^2, stats::runif(3, 0, apart))
    own <- own / 5 + rising - bending
  }

  if (kind == "outlier") {
    own[1, ] <- own[1, ] - 0.3
  }

  level <- c(if (kind == "at the floor") 0.4 else 0.62, 0.6, 0.55)
  list(
    kind = kind,
    pipelines = paste0("p", seq_len(n)),
    apart = apart,
    means = own + matrix(level, n, 3, byrow = TRUE),
    fails = stats::rbeta(n, 1, 9),
    case = stats::runif(1, 0.02, 0.1),
    own = stats::runif(1, 0.01, 0.08),
    luck = stats::runif(1, 0.02, 0.1),
    by_kind = stats::rnorm(n, 0, 0.1),
    reference = stats::runif(1, 0.01, 0.08),
    look = stats::runif(1, 0.01, 0.08),
    silent = stats::runif(n, 0, 0.2)
  )
}

# Chance of about the given spread, around 0.
chance_of <- function(kind, many, spread) {
  if (kind == "heavy tails") {
    return(stats::rt(many, 3) / sqrt(3) * spread)
  }

  if (kind == "skewed") {
    return((1 - stats::rexp(many)) * spread)
  }

  stats::rnorm(many, 0, spread)
}

# Which reference and which look each case has: its own, or with `shared` few of either.
pictures_of <- function(cases, shared) {
  each <- seq_len(cases)
  if (!shared) {
    return(list(reference = each, look = each))
  }

  references <- max(3, round(sqrt(cases)))
  list(reference = (each - 1) %% references + 1, look = (each - 1) %/% references + 1)
}

# What a run would meet: `scores` (cases x pipelines x seeds x axes), `failed` and `met` (cases x
# pipelines x seeds), `silent` (cases x pipelines), and the cases' `pictures`.
meet_world <- function(world, cases, seeds, seed, shared = world$kind == "shared references") {
  withr::local_seed(seed)
  n <- length(world$pipelines)
  drawn <- function(shape, spread) array(chance_of(world$kind, prod(shape), spread), shape)
  shape <- c(cases, n, seeds, 3)
  case <- as.vector(slice.index(array(0L, shape), 1))
  pipeline <- as.vector(slice.index(array(0L, shape), 2))
  axis <- as.vector(slice.index(array(0L, shape), 4))
  pictures <- pictures_of(cases, shared)
  of_case <- drawn(c(cases, 3), world$case) + as.vector(drawn(cases, world$case))
  of_own <- drawn(c(cases, n, 3), world$own) + as.vector(drawn(c(cases, n), world$own))
  of_pair <- matrix(0, cases, n)
  if (world$kind == "shared references") {
    of_reference <- drawn(c(max(pictures$reference), n), world$reference)
    of_look <- drawn(c(max(pictures$look), n), world$look)
    of_pair <- of_reference[pictures$reference, ] + of_look[pictures$look, ]
  }

  if (world$kind == "two kinds of cases") {
    of_pair <- outer(as.numeric(stats::runif(cases) < 0.3), world$by_kind)
  }

  luck <- drawn(shape, world$luck) + as.vector(drawn(c(cases, n, seeds), world$luck))
  scores <- luck +
    world$means[cbind(pipeline, axis)] +
    of_case[cbind(case, axis)] +
    of_own[cbind(case, pipeline, axis)] +
    of_pair[cbind(case, pipeline)]
  usual <- stats::qlogis(rep(world$fails, each = cases)) + stats::rnorm(cases * n)
  takes <- c(cases, n, seeds)
  list(
    world = world,
    pictures = pictures,
    scores = array(pmin(pmax(scores, 0), 1), shape),
    failed = array(stats::runif(prod(takes)) < stats::plogis(usual), takes),
    met = takes_met(world, takes),
    silent = silent_cells(world, cases)
  )
}

# The first seed of a case is met by all but a tenth of pipelines, further ones are there for
# some cases only. Who would have met none has met all.
takes_met <- function(world, takes) {
  met <- array(TRUE, takes)
  if (world$kind == "unequal takes") {
    last <- sample.int(takes[3], takes[1], replace = TRUE)
    lacking <- matrix(stats::runif(takes[1] * takes[2]) < 0.1, takes[1])
    lacking[, colSums(!lacking) == 0] <- FALSE
    met <- slice.index(met, 3) <= last & !as.vector(lacking)
  }

  met
}

silent_cells <- function(world, cases) {
  n <- length(world$pipelines)
  if (world$kind != "silent judge") {
    return(matrix(FALSE, cases, n))
  }

  matrix(stats::runif(cases * n) < rep(world$silent, each = cases), cases)
}

# The axis table of a run that met this.
as_table <- function(met) {
  shape <- dim(met$scores)
  at <- which(met$met)
  case <- slice.index(met$met, 1)[at]
  pipeline <- slice.index(met$met, 2)[at]
  failed <- met$failed[at]
  axis <- function(k) ifelse(failed, NA, met$scores[, , , k][at])
  reference <- met$pictures$reference[case]
  look <- met$pictures$look[case]
  table <- tibble::tibble(
    pipeline = met$world$pipelines[pipeline],
    case = sprintf("c%05d", case),
    seed = slice.index(met$met, 3)[at],
    reference = paste0("r", reference),
    look = paste0("l", look),
    state = ifelse(failed, "failed", "made"),
    cost = 0.1,
    seconds = 1,
    message = NA_character_,
    structure = axis(1),
    adherence = axis(2),
    style = axis(3),
    coverage = 1,
    flaws = "",
    slight = "",
    missed = ""
  )
  silent <- met$silent[cbind(case, pipeline)]
  table$adherence[silent] <- NA
  if (any(silent)) core("even_axes")(table) else table
}

# Worth and keepers of what was met, by the brief: cases x pipelines x seeds.
worth_met <- function(met) {
  shape <- dim(met$failed)
  scores <- matrix(met$scores, ncol = 3)
  keeper <- !met$failed & scores[, 1] >= brief$floors[["structure"]]
  list(
    worth = array(keeper * drop(scores %*% brief$weights), shape),
    keeper = array(as.numeric(keeper), shape)
  )
}

# What a take may turn out to be on any case beside its pipeline's means: `many` rows, an axis a
# column. All pipelines meet the same chance, so that what tells them apart is exact.
chance_of_take <- function(world, many) {
  spreads <- c(world$case, world$own, world$luck)
  parts <- lapply(spreads, function(spread) {
    shared <- chance_of(world$kind, many, spread)
    matrix(chance_of(world$kind, 3 * many, spread), many) + shared
  })
  if (world$kind == "shared references") {
    pictures <- chance_of(world$kind, many, world$reference)
    parts$pictures <- pictures + chance_of(world$kind, many, world$look)
  }

  Reduce(`+`, parts)
}

# The share of takes that fail, over cases that are harder or easier by a normal's chance.
failing <- function(fails) {
  hard <- stats::qnorm((seq_len(999) - 0.5) / 999)
  vapply(fails, function(usual) mean(stats::plogis(stats::qlogis(usual) + hard)), 0)
}

# The truth is what very many cases would show, each with a picture of its own: a row a
# pipeline; `worth`, `structure` (of what was made) and `keeper`.
truth_of <- function(world, seed, many = 20000) {
  withr::local_seed(seed)
  chance <- chance_of_take(world, many)
  second <- if (world$kind == "two kinds of cases") stats::runif(many) < 0.3 else FALSE
  made <- 1 - failing(world$fails)
  of_pipeline <- function(j) {
    scores <- chance + rep(world$means[j, ], each = many) + second * world$by_kind[j]
    scores <- pmin(pmax(scores, 0), 1)
    keeper <- scores[, 1] >= brief$floors[["structure"]]
    c(
      worth = made[j] * mean(keeper * drop(scores %*% brief$weights)),
      structure = mean(scores[, 1]),
      keeper = made[j] * mean(keeper)
    )
  }

  truth <- t(vapply(seq_along(world$pipelines), of_pipeline, numeric(3)))
  rownames(truth) <- world$pipelines
  truth
}
