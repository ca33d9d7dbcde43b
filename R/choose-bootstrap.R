# How sure a mean is: paired resampling of cases, then of seeds within cases.

# `columns` of an axis table, resampled together: a list with one matrix each,
# pipelines x draws. Rows of one case and seed stay together over pipelines.
bootstrap_means <- function(table, columns, draws, seed) {
  pipelines <- unique(table$pipeline)
  meeting <- unique(table[c("case", "seed")])
  meeting <- meeting[order(meeting$case, meeting$seed), ]
  row <- match(paste(table$case, table$seed), paste(meeting$case, meeting$seed))
  cases <- unique(meeting$case)
  out <- lapply(columns, function(column) {
    scores <- matrix(NA_real_, nrow(meeting), length(pipelines), dimnames = list(NULL, pipelines))
    scores[cbind(row, match(table$pipeline, pipelines))] <- as.numeric(table[[column]])
    means <- core_bootstrap(scores, match(meeting$case, cases) - 1L, length(cases), draws, seed)
    rownames(means) <- pipelines
    means
  })
  stats::setNames(out, columns)
}

interval <- function(draws, level = 0.9) {
  if (all(is.na(draws))) {
    return(c(NA_real_, NA_real_))
  }
  stats::quantile(draws, c((1 - level) / 2, (1 + level) / 2), names = FALSE, na.rm = TRUE)
}

# The share of draws in which each pipeline is the best; ties are shared out.
chance_best <- function(utility) {
  utility[is.na(utility)] <- -Inf
  top <- apply(utility, 2, max)
  wins <- utility == rep(top, each = nrow(utility))
  rowMeans(wins / rep(colSums(wins), each = nrow(utility)))
}
