# The stand-in judges held against drawings that they were not fitted to: how often they are
# right, whether their probabilities mean what they say, and how surely a right picture is
# ranked above one that differs in one asked thing. From the root with the package installed:
#   Rscript bench/judges.R standins [PAIRS]
given <- commandArgs(trailingOnly = TRUE)[-1]
pairs <- if (length(given)) as.integer(given[1]) else 400
drawn <- function(seed, wanted = list()) core("drawn_example")(seed, wanted)
see <- function(picture) core("see_picture")(picture)
manners <- c("none", core("look_names")())
each <- function(seeds, f, ...) parallel::mclapply(seeds, f, ..., mc.cores = 2)

# How often it is right, by what is asked and in which manner.
tests <- 900000 + seq_len(pairs)

found <- each(tests, function(seed) {
  example <- drawn(seed)
  sight <- see(example$picture)
  counts <- vapply(
    core("small_things"),
    function(thing) {
      which.max(core("count_odds")(sight$small$sure[sight$small$thing == thing])) - 1
    },
    0
  )
  true <- vapply(core("small_things"), function(thing) sum(example$small$thing == thing), 0)
  known <- core("counts_kites")(example)
  list(
    manner = if (is.na(example$manner)) "none" else example$manner,
    tile = names(which.max(sight$tile)) == example$tile,
    light = names(which.max(sight$light)) == example$light,
    sky = if (!is.na(example$sky) && example$light == "plain") {
      names(which.max(sight$sky)) == example$sky
    } else {
      NA
    },
    scratches = (sight$marks[["scratches"]] > 0.5) == ("scratches" %in% example$marks),
    lettering = (sight$marks[["lettering"]] > 0.5) == ("lettering" %in% example$marks),
    frame = (sight$marks[["frame"]] > 0.5) == ("frame" %in% example$marks),
    there = if (known) mean((counts > 0) == (true > 0)) else NA,
    count = if (known) mean(counts == true) else NA
  )
})

table <- do.call(rbind, lapply(found, as.data.frame))
cat("Share of held-out drawings on which it is right\n")
what <- setdiff(names(table), "manner")

print(
  round(
    rbind(
      vapply(
        split(table[what], factor(table$manner, manners)),
        colMeans,
        numeric(length(what)),
        na.rm = TRUE
      ) |>
        t(),
      all = colMeans(table[what], na.rm = TRUE)
    ),
    3
  )
)

# Statements about held-out drawings, true and false alike, as heron answers them.
heron <- standin_heron()
words <- c(kite = "kites", moon = "moon", gull = "gulls", pine = "pines")

asked <- each(tests, function(seed) {
  example <- drawn(seed)
  withr::with_seed(seed, {
    tile <- sample(c(example$tile, sample(core("tile_names")(), 1)), 1)
    thing <- sample(names(words), 1)
    colour <- if (!is.na(example$sky) && example$light == "plain") {
      sample(c(example$sky, sample(names(core("paint_box")()), 1)), 1)
    }
  })
  statements <- c(
    core("scene_phrases")()[[tile]],
    paste("a", thing),
    if (!is.null(colour)) paste("a", colour, "sky")
  )
  truth <- c(
    tile == example$tile,
    thing %in% example$small$thing || (thing == "kite" && example$tile == "kites"),
    if (!is.null(colour)) colour == example$sky
  )
  said <- heron$ask(
    list(list(pixels = example$picture)),
    c(statements, paste("no", statements))
  )
  n <- length(statements)
  value <- core("answered_score")(said[seq_len(n)], said[n + seq_len(n)])
  data.frame(value = value, truth = truth)
})

asked <- do.call(rbind, asked)
cat("\nDo its probabilities mean what they say?\n")
asked$bin <- cut(asked$value, c(0, 0.05, 0.2, 0.4, 0.6, 0.8, 0.95, 1), include.lowest = TRUE)

print(
  do.call(
    rbind,
    lapply(split(asked, asked$bin), function(bin) {
      data.frame(
        answers = nrow(bin),
        said = round(mean(bin$value), 3),
        true = round(mean(bin$truth), 3)
      )
    })
  )
)

cat(
  sprintf(
    "Brier score %.3f (a coin 0.25), right at one half %.3f of %d\n",
    mean((asked$value - asked$truth)^2),
    mean((asked$value > 0.5) == asked$truth),
    nrow(asked)
  )
)

# Pairs that differ in one asked thing.
numbers <- c("one", "two", "three", "four", "five")

one_pair <- function(seed, kind) {
  withr::with_seed(seed, {
    tile <- sample(setdiff(core("tile_names")(), "kites"), 2)
    thing <- sample(core("small_things"), 1)
    many <- sample(1:4, 1)
    other <- sample(setdiff(0:5, many), 1)
    colours <- sample(names(core("paint_box")()), 2)
    places <- sample(c("left", "middle", "right"), 2)
    base <- list(
      manner = sample(c(NA, core("look_names")()), 1),
      light = "plain",
      marks = character(),
      tile = tile[1],
      things = character(),
      sky = NA_character_
    )
    if (stats::runif(1) < 0.5) {
      base$things <- rep(sample(setdiff(core("small_things"), thing), 1), sample(1:2, 1))
    }
  })
  change <- function(...) utils::modifyList(base, list(...))
  pair <- switch(kind,
    "object: what stands there" = list(
      core("scene_phrases")()[[tile[1]]],
      base,
      change(tile = tile[2])
    ),
    "object: a small thing" = list(
      paste("a", thing),
      change(things = c(base$things, thing)),
      base
    ),
    count = list(
      paste0(numbers[many], " ", thing, if (many > 1) "s"),
      change(things = c(base$things, rep(thing, many))),
      change(things = c(base$things, rep(thing, other)))
    ),
    colour = list(
      paste("a", colours[1], "sky"),
      change(sky = colours[1]),
      change(sky = colours[2])
    ),
    place = list(
      paste("a", thing, "at the", places[1]),
      change(things = thing, place = places[1]),
      change(things = thing, place = places[2])
    )
  )
  value <- vapply(
    pair[2:3],
    function(wanted) {
      said <- heron$ask(
        list(list(pixels = drawn(seed, wanted)$picture)),
        c(pair[[1]], paste("no", pair[[1]]))
      )
      core("answered_score")(said[1], said[2])
    },
    0
  )
  list(
    right = if (value[1] > value[2]) {
      1
    } else if (value[1] == value[2]) {
      0.5
    } else {
      0
    },
    manner = if (is.na(base$manner)) "none" else base$manner
  )
}

cat("\nShare of pairs in which the right picture is ranked above the wrong one\n")
kinds <- c("object: what stands there", "object: a small thing", "count", "colour", "place")

ranked <- lapply(stats::setNames(seq_along(kinds), kinds), function(k) {
  do.call(
    rbind,
    lapply(each(910000 + 10000 * k + seq_len(pairs), one_pair, kinds[k]), as.data.frame)
  )
})

print(
  round(
    t(
      vapply(
        ranked,
        function(rows) {
          c(tapply(rows$right, factor(rows$manner, manners), mean), all = mean(rows$right))
        },
        numeric(length(manners) + 1)
      )
    ),
    3
  )
)

cat(
  sprintf(
    "all: %.3f of %d pairs\n",
    mean(unlist(lapply(ranked, `[[`, "right"))),
    pairs * length(kinds)
  )
)
