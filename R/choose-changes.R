# Two runs of one suite: which pipelines changed, and by how much, beyond the noise.

# `old` and `new` are axis tables with `utility`, `keeper`, `picture` (its hash) and
# `request` (what was asked). Takes of one pipeline, case and seed are compared. Whether
# anything has changed is asked of these cases, not of others like them, so that every take
# is a witness by itself. Returns a list: `scores`, a row for each pipeline and score with
# `old`, `new`, `change`, an interval that holds for all of them at once in `level` of cases,
# and `changed`; `pictures`, a row a pipeline: `asked_alike`, how many takes were asked for
# in the same words, and `other`, how many of those came out as another picture.
run_changes <- function(old, new, level = 0.95) {
  key <- function(table) paste(table$pipeline, table$case, table$seed, sep = "\r")
  at <- match(key(new), key(old))
  both <- !is.na(at) & new$state != "planned" & old$state[at] %in% c("made", "failed", "refused")
  new <- new[both, ]
  old <- old[at[both], ]
  list(scores = score_changes(old, new, level), pictures = picture_changes(old, new))
}

score_changes <- function(old, new, level) {
  columns <- c(axes, "utility", "keeper")
  rows <- lapply(unique(new$pipeline), function(pipeline) {
    own <- new$pipeline == pipeline
    lapply(columns, function(column) {
      before <- as.numeric(old[[column]][own])
      after <- as.numeric(new[[column]][own])
      known <- !is.na(after - before)
      by <- (after - before)[known]
      if (any(known)) {
        tibble::tibble(
          pipeline = pipeline, score = column, old = mean(before[known]), new = mean(after[known]), change = mean(by),
          spread = stats::sd(by) / sqrt(sum(known)), takes = sum(known)
        )
      }
    })
  })
  none <- tibble::tibble(pipeline = character(), score = character(), old = numeric(), new = numeric(), change = numeric(), spread = numeric(), takes = integer())
  rows <- do.call(rbind, c(list(none), unlist(rows, recursive = FALSE)))
  half <- all_at_once(level, sum(rows$spread > 0, na.rm = TRUE), rows$takes - 1) * rows$spread
  rows$spread <- NULL
  rows$low <- rows$change - half
  rows$high <- rows$change + half
  rows$changed <- !is.na(half) & abs(rows$change) > half
  rows
}

picture_changes <- function(old, new) {
  made <- old$state == "made" & new$state == "made"
  alike <- made & !is.na(old$request) & old$request == new$request
  count <- function(which) as.integer(table(factor(new$pipeline[which], unique(new$pipeline))))
  tibble::tibble(
    pipeline = unique(new$pipeline), takes = count(rep(TRUE, nrow(new))), asked_alike = count(alike), other = count(alike & old$picture != new$picture),
    lost = count(old$state == "made" & new$state != "made"), gained = count(old$state != "made" & new$state == "made")
  )
}
