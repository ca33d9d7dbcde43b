# People, things and lettering in photographs that nobody chose for it. What is in each was written
# down by one person (photographs.csv); what was unsure is left empty. The bounds of
# R/score-findings.R were set with the halves `first` and `second` in view, those of lettering by
# both. The pictures of `unseen`, of faces for the most part, were written down and then looked at
# once, after everything was set.
source("bench/natural/gather.R")
source("bench/judges/asking.R")

labels <- utils::read.csv("bench/judges/photographs.csv", colClasses = "character")
photographs <- gather_photographs()
unseen <- gather_unseen(labels[labels$half == "unseen", ])
labels <- labels[match(c(photographs$file, unseen$file), labels$file), ]
shown <- function(paths, edge) {
  lapply(paths, function(path) function() at_edge(pixels_of(path), edge))
}
of_all <- function(name, edge) {
  c(
    kept_findings(name, photographs$sha256, shown(photographs$path, edge)),
    kept_findings(name, unseen$sha256, shown(unseen$path, edge))
  )
}
people <- of_all("people", 640)
letters <- of_all("letters", 1600)

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
halves <- c("first", "second", "unseen")
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
  if (!any(own & labels$things != "")) {
    return(NULL)
  }

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
    "%s: smiling %s; not %s; no face found in %d; area under the curve %.2f\n",
    half, toString(round(sort(yes), 2)), toString(round(sort(no), 2)),
    sum(is.na(c(yes, no))), area_under(stats::na.omit(yes), stats::na.omit(no))
  ))
})

# Likeness among the unseen: one person in several pictures, and strangers.
descriptors <- lapply(people, function(one) {
  at <- which.max(one$faces$sure)
  if (length(at) && one$faces$sure[at] >= core("sure_face")) one$faces$descriptor[at, ]
})
known <- which(labels$who != "" & lengths(descriptors) > 0)
pairs <- utils::combn(known, 2)
cosines <- apply(pairs, 2, function(at) {
  core("cosine")(matrix(descriptors[[at[1]]], 1), descriptors[[at[2]]])
})
same <- labels$who[pairs[1, ]] == labels$who[pairs[2, ]]
video <- same & labels$who[pairs[1, ]] == "franck"
cat(sprintf(
  paste0(
    "unseen: faces found in %d of %d; cosine of one video %.2f (%d pairs), of one person in two ",
    "photographs %s, of strangers %.2f (95 %% below %.2f, %d pairs); area under the curve %.3f\n"
  ),
  length(known), sum(labels$who != ""), stats::median(cosines[video]), sum(video),
  toString(round(cosines[same & !video], 2)), stats::median(cosines[!same]),
  stats::quantile(cosines[!same], 0.95), sum(!same), area_under(cosines[same], cosines[!same])
))

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
  if (length(known) == 0) {
    return(NULL)
  }

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
    # Nobody wrote down the things of the unseen.
    without <- empty & half != "unseen" & !grepl(paste0(kind, ":"), labels$things, fixed = TRUE)
    mean(score(people[without], list(kind = "thing", of = kind, bound = c(1, Inf))))
  }, 0)
  person <- score(people[empty], list(kind = "thing", of = "person", bound = c(1, Inf)))
  faces <- vapply(people[empty], function(one) length(core("sure_faces")(one$faces)), 0)
  no_letters <- own & labels$lettering == "no"
  lettering <- score(letters[no_letters], list(kind = "lettering", of = "some"))
  cat(sprintf(
    "%s: chance of a thing %.3f (%s %.2f), of a person %.3f, of a face %.3f, of lettering %.3f\n",
    half, mean(things), c(names(which.max(things)), "-")[1], max(things), mean(person), mean(faces > 0),
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
