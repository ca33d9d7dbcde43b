# Measures that compare takes with each other: whether two seeds gave one picture, and
# whether a pipeline has one hand. Each take leaves a print when it is measured, and
# what has changed is compared when a run has measured all there is.

# A print as text: the place in the style space in steps of 1/300, and the patches'
# lightness and colours in steps of 1/255.
take_print <- function(view) {
  position <- as.integer(round(300 * pmin(pmax(sqrt(style_space$weight) * style_position(view$style), -100), 100)))
  patches <- as.raw(round(255 * pmin(pmax(core_patches(view$handle) + rep(c(0, 0.5, 0.5), each = print_patches), 0), 1)))
  gsub("\n", "", jsonlite::base64_enc(c(writeBin(position, raw(), size = 2, endian = "little"), patches)), fixed = TRUE)
}

print_patches <- 96

# Prints as matrices with a row a take.
read_prints <- function(prints) {
  bytes <- lapply(prints, jsonlite::base64_dec)
  styles <- length(style_space$centre)
  position <- t(vapply(bytes, function(b) readBin(b, "integer", styles, size = 2, endian = "little") / 300, numeric(styles)))
  patches <- t(vapply(bytes, function(b) as.integer(utils::tail(b, 3 * print_patches)) / 255, numeric(3 * print_patches)))
  list(position = position, patches = patches)
}

# Compares the takes of the pipelines that have any without such a comparison: what is
# measured anew has lost it. Consistency is one look's takes, or one case's where none
# was asked for; controls are no takes proper.
compare_across <- function(store, suite) {
  changed <- read_db(store, "SELECT take FROM prints WHERE take NOT IN (SELECT take FROM scores WHERE measure = 'consistency')")$take
  takes <- read_takes(store, deciding_columns)
  takes <- takes[takes$state == "made" & is.na(takes$control), ]
  for (pipeline in unique(takes$pipeline[takes$take %in% changed])) {
    own <- read_db(store, "SELECT p.take, p.print FROM prints p JOIN takes t ON t.take = p.take WHERE t.pipeline = ?", params = list(pipeline))
    own <- own[own$take %in% takes$take, ]
    own[c("case", "seed")] <- takes[match(own$take, takes$take), c("case", "seed")]
    own <- own[order(own$case, own$seed), ]
    if (nrow(own) == 0) next
    cases <- suite$cases[match(own$case, vapply(suite$cases, `[[`, "", "id"))]
    scores <- across_scores(own, vapply(cases, `[[`, "", "look"), vapply(cases, `[[`, "", "job") %in% c("repair", "edit", "extend"))
    in_transaction(store$db, {
      names <- vapply(across_measures(), `[[`, "", "measure")
      write_db(store$db, "DELETE FROM scores WHERE take = ? AND measure = ?", params = list(rep(own$take, length(names)), rep(names, each = nrow(own))))
      insert_scores(store, scores)
    })
  }
}

across_scores <- function(own, look, kept_jobs) {
  prints <- read_prints(own$print)
  part <- function(at) lapply(prints, function(matrix) matrix[at, , drop = FALSE])
  compared <- function(measure, groups) {
    value <- rep(NA_real_, nrow(own))
    for (at in split(seq_len(nrow(own)), groups)) value[at] <- measure$compute(part(at))
    value
  }
  one_hand <- compared(measure_consistency(), ifelse(is.na(look), own$case, look))
  # Mended well, every seed gives the same picture; and a copy is a usable picture, only
  # no second one, so that it is never serious.
  copies <- ifelse(kept_jobs, NA_real_, compared(measure_same_as_seed(), own$case))
  level <- ifelse(!is.na(copies) & copies <= 0.004, "slight", "none")
  numbers <- c(one_hand, copies)
  tibble::tibble(
    take = rep(own$take, 2), axis = rep(c("style", "flaws"), each = nrow(own)), measure = rep(c("consistency", "same_as_seed"), each = nrow(own)),
    phrase = NA_character_, value = numbers, raw = numbers, level = c(rep(NA_character_, nrow(own)), level), place = NA_character_
  )
}
