# People, things and lettering in photographs that nobody chose for it. What is in each was written
# down by one person (photographs.csv); what was unsure is left empty. The bounds of
# R/score-findings.R were set on the half `first`; figures are of both halves, apart.
source("bench/natural/gather.R")
source("bench/judges/asking.R")

labels <- utils::read.csv("bench/judges/photographs.csv", colClasses = "character")
photographs <- gather_photographs()
labels <- labels[match(photographs$file, labels$file), ]
shown <- function(edge) {
  lapply(photographs$path, function(path) function() at_edge(pixels_of(path), edge))
}
people <- kept_findings("people", photographs$sha256, shown(640))
letters <- kept_findings("letters", photographs$sha256, shown(1600))

score <- function(findings, wanted) {
  vapply(findings, function(one) core("score_of_find")(one, wanted)$value, 0)
}
count <- function(findings, of) {
  wanted <- list(kind = "thing", of = of, bound = c(0, Inf))
  vapply(findings, function(one) core("score_of_find")(one, wanted)$raw, 0)
}
bound_of <- function(text) {
  least <- as.numeric(sub("+", "", text, fixed = TRUE))
  c(least, if (endsWith(text, "+")) Inf else least)
}
fits <- function(number, text) number >= bound_of(text)[1] & number <= bound_of(text)[2]
halves <- c("first", "second")
by_half <- function(use) {
  for (half in halves) {
    use(labels$half == half, half)
  }
}

cat(nrow(labels), "photographs\n")
by_half(function(own, half) {
  known <- own & labels$people != ""
  number <- count(people, "person")
  right <- mapply(fits, number[known], labels$people[known])
  some <- known & labels$people != "0"
  cat(sprintf(
    "%s: number of people right in %d of %d; of %d with people %d right; of %d without %d\n",
    half, sum(right), sum(known), sum(some),
    sum(mapply(fits, number[some], labels$people[some])),
    sum(known & !some), sum(number[known & !some] == 0)
  ))
})

by_half(function(own, half) {
  kinds <- names(core("thing_words"))
  written <- lapply(labels$things, function(text) {
    parts <- strsplit(strsplit(text, "; ")[[1]], ": ")
    stats::setNames(vapply(parts, `[`, "", 2), vapply(parts, `[`, "", 1))
  })
  said <- vapply(kinds, function(kind) count(people, kind), numeric(length(people)))
  there <- matrix(0, length(people), length(kinds), dimnames = list(NULL, kinds))
  right <- logical()
  for (i in which(own)) {
    for (kind in names(written[[i]])) {
      there[i, kind] <- 1
      right <- c(right, fits(said[i, kind], written[[i]][[kind]]))
    }
  }

  none <- own & labels$things == "" & labels$people == "0"
  cat(sprintf(
    "%s: %d of %d things that are there seen, %d in their number; %d others seen in %d photographs without any\n",
    half, sum(said[own, ][there[own, ] == 1] > 0), sum(there[own, ]), sum(right),
    sum(said[none, ] > 0), sum(none)
  ))
})

by_half(function(own, half) {
  smiles <- score(people, list(kind = "face", of = "smiling"))
  yes <- smiles[own & labels$smile == "yes"]
  no <- smiles[own & labels$smile == "no"]
  cat(sprintf(
    "%s: smiling %s, not %s (no face found: NA)\n",
    half, toString(round(sort(yes, na.last = TRUE), 2)), toString(round(sort(no, na.last = TRUE), 2))
  ))
})

by_half(function(own, half) {
  value <- score(letters, list(kind = "lettering", of = "some"))
  yes <- value[own & labels$lettering == "yes"]
  no <- value[own & labels$lettering == "no"]
  cat(sprintf(
    "%s: lettering seen in %d of %d, in %d of %d without any; area under the curve %.2f\n",
    half, sum(yes > 0.5), length(yes), sum(no > 0.5), length(no), area_under(yes, no)
  ))
})

by_half(function(own, half) {
  known <- which(own & labels$reads != "")
  each <- vapply(known, function(i) {
    core("score_of_find")(letters[[i]], list(kind = "text", of = labels$reads[i]))$value
  }, 0)
  others <- vapply(which(own & labels$lettering == "no"), function(i) {
    mean(vapply(known, function(k) {
      core("score_of_find")(letters[[i]], list(kind = "text", of = labels$reads[k]))$value
    }, 0))
  }, 0)
  cat(sprintf(
    "%s: words read %s; the same words in photographs without lettering %.2f\n",
    half, toString(round(each, 2)), mean(others)
  ))
})

# The chance of each kind of statement, where nothing of the kind is there (R/run-findings.R).
kinds <- names(core("thing_words"))
by_half(function(own, half) {
  empty <- own & labels$people == "0"
  things <- vapply(kinds, function(kind) {
    without <- empty & !grepl(paste0(kind, ":"), labels$things, fixed = TRUE)
    mean(score(people[without], list(kind = "thing", of = kind, bound = c(1, Inf))))
  }, 0)
  person <- score(people[empty], list(kind = "thing", of = "person", bound = c(1, Inf)))
  faces <- vapply(people[empty], function(one) sum(one$faces$sure >= core("sure_face")), 0)
  no_letters <- own & labels$lettering == "no"
  lettering <- score(letters[no_letters], list(kind = "lettering", of = "some"))
  cat(sprintf(
    "%s: chance of a thing %.3f (%s %.2f), of a person %.3f, of a face %.3f, of lettering %.3f\n",
    half, mean(things), names(which.max(things)), max(things), mean(person), mean(faces > 0),
    mean(lettering)
  ))
})

# Whether values mean what they say: the Brier score of all statements about people and lettering,
# as they are and less chance.
by_half(function(own, half) {
  person <- score(people, list(kind = "thing", of = "person", bound = c(1, Inf)))
  lettering <- score(letters, list(kind = "lettering", of = "some"))
  known <- own & labels$people != ""
  brier <- function(value, true) mean((value - true)^2)
  less <- function(value, kind) core("above_chance")(value, core("chance_on_photographs")[[kind]])
  told <- own & labels$lettering != ""
  cat(sprintf(
    "%s: Brier score of a person there %.3f, less chance %.3f; of lettering %.3f, less chance %.3f\n",
    half,
    brier(person[known], labels$people[known] != "0"),
    brier(less(person[known], "thing"), labels$people[known] != "0"),
    brier(lettering[told], labels$lettering[told] == "yes"),
    brier(less(lettering[told], "lettering"), labels$lettering[told] == "yes")
  ))
})
