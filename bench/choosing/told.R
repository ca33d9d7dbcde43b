# Is what a verdict says of itself true? Each world is met once, by a run of 3 to 40 cases of 1 to
# 5 seeds, and what the verdict says is held against the truth.

told_case_counts <- c(3, 4, 6, 8, 12, 20, 40)
within <- 0.03

read_world <- function(job) {
  world <- new_world(job$seed, job$kind)
  withr::with_seed(job$seed + 1e6, {
    cases <- sample(told_case_counts, 1)
    seeds <- sample(c(1, 2, 3, 5), 1)
  })
  if (job$kind == "shared references") {
    cases <- max(cases, 12)
  }

  met <- meet_world(world, cases, seeds, job$seed + 3e6)
  table <- core("add_worth")(as_table(met), brief)
  truth <- truth_of(world, job$seed + 2e6)
  ranked <- core("ranked_pipelines")(table, brief)
  told <- rbind(
    told_by("Sprenn", ranked$draws$worth, truth, world, cases),
    if (job$compared) told_by_others(table, truth, world, met, job$seed)
  )
  told$keepers <- NA
  told$structure <- NA
  own <- ranked$pipelines
  true <- truth[own$pipeline, , drop = FALSE]
  holds <- function(column, score) {
    held <- own[[paste0(column, "_low")]] <= true[, score] &
      true[, score] <= own[[paste0(column, "_high")]]
    mean(held, na.rm = TRUE)
  }

  told$keepers[1] <- holds("keepers", "keeper")
  told$structure[1] <- holds("structure", "structure")
  list(rows = told, chances = told_chances(ranked$draws$worth, truth, world, cases))
}

told_by_others <- function(table, truth, world, met, seed) {
  cells <- core("case_means")(table, "worth")[[1]][, world$pipelines, drop = FALSE]
  cases <- dim(met$failed)[1]
  spread <- spreads[[world$kind]][[as.character(world$apart)]]
  withr::local_seed(seed)
  rbind(
    told_by("hierarchical model", hierarchical_draws(cells, met$pictures), truth, world, cases),
    told_by("oracle", oracle_draws(cells, world, met, spread, seed), truth, world, cases)
  )
}

# What draws (pipelines x draws) say, and whether it is so.
told_by <- function(who, draws, truth, world, cases) {
  draws <- draws[world$pipelines, , drop = FALSE]
  true <- truth[, "worth"]
  expected <- rowMeans(draws)
  leader <- which.max(expected)
  holds <- function(row, value) {
    ends <- core("interval")(row)
    ends[1] <= value && value <= ends[2]
  }

  each_holds <- vapply(seq_along(true), function(j) holds(draws[j, ], true[[j]]), NA)
  pairs <- core("pair_differences")(draws)
  apart <- true[pairs$one] - true[pairs$other]
  chance <- core("chance_best")(draws)
  close <- core("chance_close")(draws, within)
  # A verdict needs three independent pictures, and someone who has kept something.
  enough <- cases >= core("fewest_cases")
  sure <- enough && isTRUE(chance[[leader]] >= brief$confidence)
  sure_close <- enough && isTRUE(close[[leader]] >= brief$confidence)
  wrong <- leader != which.max(true)
  far <- true[[leader]] < max(true) - within
  data.frame(
    who = who,
    kind = world$kind,
    cases = cases,
    pipelines = length(true),
    worth = mean(each_holds),
    leader = each_holds[[leader]],
    bias = expected[[leader]] - true[[leader]],
    # Two named beforehand, not by who leads.
    difference = holds(draws[1, ] - draws[2, ], true[[1]] - true[[2]]),
    all_pairs = all(pairs$low <= apart & apart <= pairs$high),
    declared = sure,
    wrong = sure && wrong,
    lost = if (sure && wrong) max(true) - true[[leader]] else NA,
    close = sure_close,
    close_wrong = sure_close && far
  )
}

told_chances <- function(draws, truth, world, cases) {
  draws <- draws[world$pipelines, , drop = FALSE]
  true <- truth[, "worth"]
  data.frame(
    kind = world$kind,
    cases = cases,
    said = core("chance_best")(draws),
    so = true == max(true),
    leads = seq_along(true) == which.max(rowMeans(draws)),
    close_said = core("chance_close")(draws, within),
    close = true >= max(true) - within
  )
}

# Means of what was told, a row a value of `by`.
summed_up <- function(rows, by) {
  columns <- c(
    "worth", "structure", "keepers", "leader", "bias", "difference", "all_pairs", "declared",
    "wrong", "close", "close_wrong"
  )
  own <- split(rows, factor(rows[[by]], unique(rows[[by]])))
  means <- t(
    vapply(
      own,
      function(part) {
        c(worlds = nrow(part), colMeans(part[columns], na.rm = TRUE))
      },
      numeric(length(columns) + 1)
    )
  )
  data.frame(row = rownames(means), means, row.names = NULL)
}

bins <- c(-0.01, 0.005, 0.02, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.98, 1)

reliability_of <- function(said, so) {
  known <- !is.na(said)
  bin <- cut(said[known], bins)
  table <- data.frame(
    said = as.vector(tapply(said[known], bin, mean)),
    so = as.vector(tapply(so[known], bin, mean)),
    n = as.vector(table(bin))
  )
  table[table$n > 0, ]
}

rows_of <- function(found) nrow(found$rows)

tell <- function(simulations) {
  compared <- min(simulations, 100)
  grid <- expand.grid(kind = kinds, number = seq_len(simulations), stringsAsFactors = FALSE)
  jobs <- lapply(seq_len(nrow(grid)), function(k) {
    list(seed = 1e5 + k, kind = grid$kind[k], compared = grid$number[k] <= compared)
  })
  spreads <<- lapply(stats::setNames(nm = kinds), function(kind) {
    lapply(stats::setNames(nm = c(0.01, 0.03, 0.06, 0.12)), true_spread, kind = kind)
  })
  found <- each(jobs, read_world, "told")
  rows <- do.call(rbind, lapply(found, `[[`, "rows"))
  chances <- do.call(rbind, lapply(found, `[[`, "chances"))
  own <- rows[rows$who == "Sprenn", ]
  own$many <- cut(own$pipelines, c(0, 2, 5, 8, 30), c("2", "3 to 5", "6 to 8", "12 to 30"))
  show <- function(title, table) {
    cat("\n", title, "\n", sep = "")
    numbers <- vapply(table, is.numeric, NA)
    table[numbers] <- round(table[numbers], 3)
    print(table, row.names = FALSE)
  }

  show("By how many cases", summed_up(own[order(own$cases), ], "cases"))
  show("By how many pipelines", summed_up(own[order(own$pipelines), ], "many"))
  show("By kind of world", summed_up(own[order(match(own$kind, kinds)), ], "kind"))
  lost <- mean(own$lost, na.rm = TRUE)
  cat(sprintf("A pipeline wrongly declared loses %.3f of a take's worth on average\n", lost))
  read_by_all <- rep(vapply(jobs, `[[`, NA, "compared"), vapply(found, rows_of, 0L))
  show("The same runs read by others", summed_up(rows[read_by_all, ], "who"))
  leaders <- chances[chances$leads, ]
  others <- chances[!chances$leads, ]
  show("Chance of being the best, of leaders", reliability_of(leaders$said, leaders$so))
  show("of others", reliability_of(others$said, others$so))
  show(
    "Chance of being within 0.03 of the best, of leaders",
    reliability_of(leaders$close_said, leaders$close)
  )
  show("of others", reliability_of(others$close_said, others$close))
  list(own = own, chances = chances)
}

# bench/choosing.png: how often a pipeline was the best, by the chance that was stated.
draw_told <- function(told) {
  reliability <- reliability_of(told$chances$said, told$chances$so)
  error <- 1.645 * sqrt(reliability$so * (1 - reliability$so) / reliability$n)
  reliability$from <- pmax(0, reliability$so - error)
  reliability$to <- pmin(1, reliability$so + error)
  figure <- ggplot2::ggplot(reliability, ggplot2::aes(said, so)) +
    ggplot2::geom_abline(linetype = 2, colour = "#888888") +
    ggplot2::geom_linerange(ggplot2::aes(ymin = from, ymax = to), colour = "#0072B2") +
    ggplot2::geom_point(ggplot2::aes(size = n), colour = "#0072B2") +
    ggplot2::scale_size_area(max_size = 6, guide = "none") +
    ggplot2::coord_equal(xlim = 0:1, ylim = 0:1) +
    ggplot2::labs(
      title = "Is a stated chance of being best true?",
      subtitle = paste(
        nrow(told$own), "worlds; dashed: said is so; the larger, the more were said"
      ),
      x = "chance said",
      y = "share in which it was the best"
    ) +
    core("theme_sprenn")()
  core("save_figure")(figure, "bench/choosing.png", 700, 640)
}
