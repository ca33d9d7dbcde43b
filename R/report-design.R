# The sample size needed to tell pipelines apart, in words.

#' @export
format.sprenn_design <- function(x, ...) {
  seeds <- sort(unique(x$designs$seeds))
  cases <- sort(unique(x$designs$cases))
  last <- which(
    vapply(cases, function(n) max(x$designs$assurance[x$designs$cases == n]) >= 0.99, NA)
  )[1]
  if (!is.na(last)) {
    cases <- cases[seq_len(max(last, which(cases == x$suite$cases)))]
  }

  column <- function(n) {
    own <- x$designs[x$designs$seeds == n, ]
    chance_words(own$assurance[match(cases, own$cases)])
  }

  table <- c(
    list(cases = as.character(cases)),
    stats::setNames(lapply(seeds, column), count_words(seeds, "seed"))
  )
  c(
    strwrap(
      paste0(
        "The probability that a run names the right one of ",
        x$pipelines,
        " pipelines",
        if (!is.na(x$job)) paste0(" for ", x$job),
        ", where the best is ",
        format(x$tell),
        " of a take's worth better than all others",
        if (x$within > 0) {
          paste0(" and any pipeline within ", format(x$within), " of the best will do")
        },
        ". The brief wants ",
        percent(x$confidence),
        "; each case has a picture of its own:"
      ),
      100
    ),
    "",
    paste0("  ", text_table(table)),
    "",
    best_design_words(x),
    suite_design_words(x),
    spread_words(x)
  )
}

best_design_words <- function(x) {
  what <- function(row) {
    paste0(
      count_words(row$cases, "case"), " x ",
      count_words(row$seeds, "seed"), ": ",
      count_words(row$takes, "take"), ", cost ", show_money(row$cost),
      if (!is.na(row$seconds)) paste0(", about ", show_seconds(row$seconds))
    )
  }

  said <- if (nrow(x$best)) {
    paste0("The cheapest that is sure enough (", percent(x$sure), "): ", what(x$best), ".")
  } else {
    paste0(
      "Nothing up to ", max(x$designs$cases), " cases is sure enough (",
      percent(x$sure), ")."
    )
  }
  limited <- x$within_limits
  over <- nrow(limited) && (nrow(x$best) == 0 || x$best$takes > limited$takes)
  c(
    strwrap(said, 100, exdent = 2),
    if (over && limited$assurance < x$sure) {
      strwrap(
        paste0(
          "The surest within the brief's limits (", chance_words(limited$assurance),
          "): ", what(limited), "."
        ),
        100,
        exdent = 2
      )
    }
  )
}

suite_design_words <- function(x) {
  suite <- x$suite
  told <- function(d) {
    if (is.na(d)) {
      "nothing below 0.6"
    } else {
      paste("a difference of", format(signif(d, 2), scientific = FALSE))
    }
  }

  pictures <- if (suite$pictures < suite$cases) {
    paste0(", ", suite$pictures, " independent pictures")
  }
  strwrap(
    paste0(
      "The suite as it is (",
      count_words(suite$cases, "case"),
      pictures,
      ", ",
      count_words(suite$seeds, "seed"),
      ") has a chance of ",
      chance_words(suite$assurance),
      ". With ",
      percent(x$sure),
      " it detects ",
      told(suite$tells),
      if (is.na(suite$tells_at_most) || isTRUE(suite$tells_at_most == suite$tells)) {
        ", and more seeds would not help"
      } else {
        paste0(", and with any number of seeds ", told(suite$tells_at_most))
      },
      "."
    ),
    100,
    exdent = 2
  )
}

spread_words <- function(x) {
  spreads <- x$spreads
  by_seed <- if (is.na(spreads$by_seed)) {
    "unknown between seeds (one per case)"
  } else {
    paste(two(spreads$by_seed), "between seeds")
  }
  from <- if (identical(x$from, "usual")) {
    "a default, since there is no run to estimate it from; a small run first would"
  } else {
    paste("as in", shorten_list(paste("run", x$from)))
  }
  strwrap(
    paste0(
      "Worth is assumed to vary by ", two(spreads$by_case), " between cases and ",
      by_seed, ", ", from, "."
    ),
    100,
    exdent = 2
  )
}

#' @export
print.sprenn_design <- function(x, ...) print_lines(x)
