# From a sound brief.yml to the brief that a choice is made by.

axes <- c("structure", "adherence", "style")

brief_problems <- function(read, suite) {
  brief <- read$value
  problems <- list()
  if (is.null(brief) || nrow(read$problems) > 0) {
    return(no_problems())
  }
  if (sum(unlist(brief$weights)) <= 0) {
    problems <- list(new_problem("brief.yml", "weights", "no weight above 0", "at least one axis that counts"))
  }
  jobs <- vapply(suite$value$cases[sound_entries(suite, "cases")], `[[`, "", "job")
  if (!is.null(brief$job) && nrow(suite$problems) == 0 && !brief$job %in% jobs) {
    problems <- c(problems, list(new_problem(
      "brief.yml", "job", quoted(brief$job), paste("a job that the suite has cases of:", paste(unique(jobs), collapse = ", "))
    )))
  }
  place_problems(bind_problems(problems), read$line)
}

build_brief <- function(brief) {
  by_axis <- function(values, default) {
    out <- stats::setNames(rep(default, length(axes)), axes)
    out[names(values)] <- as.numeric(unlist(values))
    out
  }
  weights <- by_axis(brief$weights, 0)
  list(
    brief = brief$brief, job = brief$job %||% NA_character_,
    weights = weights / sum(weights),
    floors = by_axis(brief$floors, NA_real_),
    style = if (is.list(brief$style)) as.numeric(unlist(brief$style$change)) else brief$style %||% "reach the look",
    confidence = brief$confidence %||% 0.9,
    draws = as.integer(brief$draws %||% 2000), seed = as.integer(brief$seed %||% 1)
  )
}
