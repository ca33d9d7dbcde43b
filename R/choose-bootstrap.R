# How sure a mean is: paired resampling of cases, then of seeds within cases.

# `columns` of an axis table, resampled together: a list with one matrix each,
# pipelines x draws. Rows of one case and seed stay together over pipelines.
bootstrap_means <- function(table, columns, draws, seed) {
  pipelines <- unique(table$pipeline)
  met <- paste(table$case, table$seed)
  first <- which(!duplicated(met))
  first <- first[order(table$case[first], table$seed[first])]
  row <- match(met, met[first])
  meeting <- table[first, ]
  cases <- unique(meeting$case)
  at <- cbind(row, match(table$pipeline, pipelines))
  scores <- lapply(columns, function(column) {
    one <- matrix(NA_real_, nrow(meeting), length(pipelines))
    one[at] <- as.numeric(table[[column]])
    one
  })
  # All columns side by side meet the same draws.
  means <- core_bootstrap(do.call(cbind, scores), match(meeting$case, cases) - 1L, length(cases), draws, seed)
  lapply(stats::setNames(seq_along(columns), columns), function(k) {
    own <- means[(k - 1) * length(pipelines) + seq_along(pipelines), , drop = FALSE]
    rownames(own) <- pipelines
    own
  })
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
