# What a verdict says in thirty situations (with those of test-situations.R), to be read as a lead
# and as a statistician: no two lines may contradict each other.
situation_brief <- utils::modifyList(
  core_brief,
  list(
    weights = c(structure = 0.4, adherence = 0.3, style = 0.3),
    floors = c(structure = 0.35, adherence = NA, style = NA)
  )
)

with_brief <- function(...) utils::modifyList(situation_brief, list(...))

four <- function(..., means = c(0.7, 0.62, 0.5, 0.45)) {
  rows <- cbind(structure = means, adherence = means, style = means)
  rownames(rows) <- c("yarrow", "bracken", "quince", "sorrel")[seq_along(means)]
  scored_table(rows, ...)
}

pictures_of <- function(table, references, looks) {
  at <- match(table$case, sort(unique(table$case))) - 1
  table$reference <- paste0("r", at %% references)
  table$look <- paste0("l", at %/% references %% looks)
  table
}

made_only <- function(table, which) {
  table$state[!which] <- "planned"
  table[!which, c("structure", "adherence", "style", "coverage")] <- NA
  table
}

failed <- function(table, which, state = "failed") {
  table$state[which] <- state
  table[which, c("structure", "adherence", "style", "coverage")] <- NA
  table$message[which] <- "The engine is out of memory."
  table
}

family_table <- function(...) {
  holds <- seq(0.1, 0.9, 0.2)
  means <- matrix(0.6 - 0.3 * (holds - 0.55)^2, 5, 3)
  dimnames(means) <- list(paste0("yarrow/hold=", holds), c("structure", "adherence", "style"))
  scored_table(rbind(means, bracken = 0.5), ...)
}

silent_on <- function(table, pipeline, cases) {
  table$adherence[table$pipeline == pipeline & table$case %in% cases] <- NA
  even_axes(table)
}

racing <- function(looks) list(looks = looks, cases = 8, seeds = 4)

situations <- list(
  "two pipelines that are the same" = function() {
    one <- four(means = 0.6)
    list(rbind(one, transform_pipeline(one, "bracken")))
  },
  "a lone pipeline, all keepers" = function() list(four(means = 0.7)),
  "a lone pipeline with few keepers" = function() list(failed(four(means = 0.7), 3:14)),
  "twenty pipelines alike" = function() {
    means <- matrix(0.6, 20, 3)
    dimnames(means) <- list(sprintf("p%02d", 1:20), c("structure", "adherence", "style"))
    list(scored_table(means, by_case = 0.05, by_seed = 0.05))
  },
  "a family of holds, where close will do" = function() {
    list(family_table(by_case = 0.02), with_brief(close_enough = 0.03))
  },
  "the cheapest of those that are close" = function() {
    table <- four(means = c(0.7, 0.69, 0.5), cases = 20, by_case = 0.01, by_seed = 0.01)
    table$cost <- ifelse(table$pipeline == "yarrow", 0.5, 0.01)
    list(table, with_brief(close_enough = 0.05, prefer = "cheaper"))
  },
  "the fastest of those that are close" = function() {
    table <- four(means = c(0.7, 0.69, 0.5), cases = 20, by_case = 0.01, by_seed = 0.01)
    table$seconds <- ifelse(table$pipeline == "yarrow", 40, 2)
    list(table, with_brief(close_enough = 0.05, prefer = "faster"))
  },
  "twelve cases of four references" = function() {
    list(pictures_of(four(cases = 12, by_case = 0.05), 4, 3))
  },
  "eight cases of two references" = function() list(pictures_of(four(), 2, 1)),
  "a judge that is silent on one pipeline" = function() {
    table <- four()
    table$coverage[table$pipeline == "yarrow"] <- 0.5
    list(silent_on(table, "yarrow", sprintf("c%02d", 1:4)))
  },
  "no evidence on an axis in some cases" = function() {
    table <- four()
    table$adherence[table$case %in% c("c01", "c02")] <- NA
    list(table)
  },
  "weights on what nobody can judge" = function() {
    table <- four()
    table$style <- NA_real_
    list(table, with_brief(weights = c(structure = 0, adherence = 0, style = 1)))
  },
  "a floor that nobody can judge in some cases" = function() {
    table <- four()
    table$adherence[table$case %in% c("c01", "c02")] <- NA
    list(table, with_brief(floors = c(structure = 0.35, adherence = 0.3, style = NA)))
  },
  "nothing made" = function() list(made_only(four(), rep(FALSE, 64))),
  "a race that was decided early" = function() list(four(seeds = 1), race = racing(8)),
  "a race that ran to its end" = function() {
    list(four(means = c(0.6, 0.59, 0.3), seeds = 4, by_case = 0.06), race = racing(8))
  },
  "one case of four seeds" = function() list(four(cases = 1, seeds = 4)),
  "a single take of each" = function() list(four(cases = 1, seeds = 1)),
  "the best by its axes fails often" = function() list(failed(four(cases = 12), seq(1, 24, 2))),
  "two that can't be told apart on sixty cases" = function() {
    list(four(means = c(0.6, 0.6, 0.4), cases = 60, by_case = 0.05))
  },
  "the leader loses one case badly" = function() {
    table <- four(means = c(0.8, 0.6), by_case = 0.01)
    worst <- table$pipeline == "yarrow" & table$case == "c03"
    table[worst, c("structure", "adherence", "style")] <- 0.36
    list(table)
  },
  "all but one are refused" = function() {
    table <- four()
    list(failed(table, table$pipeline != "quince", "refused"))
  },
  "a style that is to change by so much" = function() {
    list(four(), with_brief(style = c(0.3, 0.6)))
  },
  "one axis only" = function() {
    only_structure <- with_brief(weights = c(structure = 1, adherence = 0, style = 0))
    list(four(by_case = 0.05), only_structure)
  }
)

transform_pipeline <- function(table, name) {
  table$pipeline <- name
  table
}

verdict_in <- function(situation) {
  made <- situation()
  table <- made[[1]]
  brief <- Filter(function(part) !is.null(part$weights), made[-1])
  brief <- if (length(brief)) brief[[1]] else situation_brief
  verdict <- verdict_from(table, brief, made$race)
  pipelines <- unique(table$pipeline)
  verdict$recipes <- tibble::tibble(
    pipeline = pipelines,
    engine = sub("/.*", "", pipelines),
    checkpoint = "plain",
    hold = 0.6,
    native_hold = 0.6,
    settings = "{}",
    add_ons = "{}",
    gives = "{}",
    follows = NA_character_,
    sweep = NA_character_,
    vary = NA_character_,
    value = NA_real_,
    shown = TRUE,
    position = seq_along(pipelines)
  )
  if (!is.null(verdict$pipelines)) {
    verdict$engines <- chance_by_engine(verdict$pipelines, verdict$recipes)
  }

  structure(
    c(verdict, list(suite = list(title = "Tiles"), run = "main")),
    class = "sprenn_verdict"
  )
}

verdicts <- lapply(situations, verdict_in)

test_that("what is said in each situation", {
  for (name in names(verdicts)) {
    words <- verdict_words(verdicts[[name]])
    reasons <- paste("-", words$reasons, recycle0 = TRUE)
    said <- c(
      words$headline,
      words$standing,
      reasons,
      words$caveats,
      words$change,
      words$assumed[-1]
    )
    expect_snapshot({
      cat("##", name, "\n")
      cat(strwrap(said, 100, exdent = 2), sep = "\n")
    })
  }
})

test_that("what is said holds together in each", {
  for (verdict in verdicts[!vapply(verdicts, function(one) is.null(one$pipelines), NA)]) {
    first <- verdict$pipelines[1, ]
    expect_equal(verdict$best, first$pipeline)
    expect_equal(verdict$confidence, first$chance_close)
    wanted <- verdict$brief$confidence
    within <- verdict$brief$close_enough
    within <- if (is.null(within)) 0 else within
    if (verdict$state == "decided") {
      expect_gte(verdict$confidence, wanted)
      # The lead is no less than what will do, as surely as the brief wants.
      if (!is.na(verdict$runner_up)) {
        expect_gte(verdict$margin[2], -within - 0.002)
      }
    }

    if (verdict$state == "too close") {
      expect_lt(verdict$confidence, wanted)
    }

    if (is.null(verdict$brief$prefer)) {
      expect_equal(first$worth, max(verdict$pipelines$worth))
      if (!is.na(first$regret)) {
        expect_lte(first$regret, min(verdict$pipelines$regret, na.rm = TRUE) + 1e-9)
      }
    }

    known <- verdict$pipelines[!is.na(verdict$pipelines$chance_best), ]
    if (nrow(known) > 0) {
      expect_equal(sum(known$chance_best), 1, tolerance = 0.01)
    }

    worths <- verdict$pipelines
    expect_true(all(worths$worth_low <= worths$worth + 1e-9, na.rm = TRUE))
    expect_true(all(worths$worth <= worths$worth_high + 1e-9, na.rm = TRUE))
  }
})
