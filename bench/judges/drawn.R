# Portraits that Sprenn draws, of people at random: are their faces found, is a smile read, and is
# one told from another, plain and under looks?
source("bench/natural/gather.R")
source("bench/natural/looks.R")
source("bench/judges/asking.R")
source("bench/judges/people.R")

people <- 24
size <- c(320, 400)
drawings <- expand.grid(person = seq_len(people), smile = c(0, core("card_smile")), seed = 1:2)
portraits <- lapply(seq_len(nrow(drawings)), function(i) {
  one <- drawings[i, ]
  function() {
    seed <- 7000 + 100 * one$person + 10 * one$seed
    person <- invented_person(900 + one$person)
    core("draw_portrait")(person, size[1], size[2], seed, one$smile)
  }
})
found <- kept_findings("people", list("drawn", 1), portraits)
sure_face <- function(finding) {
  at <- which.max(finding$faces$sure)
  if (length(at) && finding$faces$sure[at] >= core("even_confidence")) at
}
faces <- lapply(found, sure_face)
cat(sprintf("faces found in %d of %d drawn portraits\n", sum(lengths(faces)), length(faces)))

happy <- mapply(
  function(finding, at) if (is.null(at)) NA else finding$faces$expression[at, 4],
  found,
  faces
)
smiles <- drawings$smile > 0
shown <- function(x) toString(format(stats::quantile(x, c(0.1, 0.5, 0.9), na.rm = TRUE), digits = 1))
cat(
  "smiling, 10 %, 50 %, 90 %: ", shown(happy[smiles]), "; earnest: ", shown(happy[!smiles]),
  sprintf(
    "; area under the curve %.3f\n",
    area_under(stats::na.omit(happy[smiles]), stats::na.omit(happy[!smiles]))
  ),
  sep = ""
)

descriptors <- mapply(
  function(finding, at) if (!is.null(at)) finding$faces$descriptor[at, ],
  found,
  faces,
  SIMPLIFY = FALSE
)
cosine_of <- function(one, other) {
  if (is.null(one) || is.null(other)) NA_real_ else core("cosine")(matrix(one, 1), other)
}

# Each of `ours` beside each of `theirs`: of one person or of strangers.
compare_faces <- function(name, ours, theirs, whose) {
  each <- outer(
    seq_along(ours),
    seq_along(theirs),
    Vectorize(function(i, j) cosine_of(ours[[i]], theirs[[j]]))
  )
  same <- outer(whose, whose, "==")
  one <- stats::na.omit(each[same])
  others <- stats::na.omit(each[!same])
  there <- sum(lengths(theirs) > 0)
  if (length(one) < 2) {
    cat(sprintf("%-16s found %2d of %2d\n", name, there, length(theirs)))
    return(invisible())
  }

  cat(sprintf(
    "%-16s found %2d of %2d; one person %.2f, strangers %.2f; area under the curve %.3f\n",
    name, there, length(theirs), mean(one), mean(others), area_under(one, others)
  ))
}
earnest <- function(seed) which(!smiles & drawings$seed == seed)
compare_faces(
  "another drawing",
  descriptors[earnest(1)],
  descriptors[earnest(2)],
  drawings$person[earnest(1)]
)
compare_faces(
  "smiling",
  descriptors[earnest(1)],
  descriptors[which(smiles & drawings$seed == 1)],
  drawings$person[earnest(1)]
)

# Under looks: twelve people each.
folder <- file.path(kept_in(), "drawn")
dir.create(folder, recursive = TRUE, showWarnings = FALSE)
names <- names(natural_looks)
names <- names[round(seq(1, length(names), length.out = 12))]
chosen <- earnest(1)[1:12]
for (name in names) {
  files <- file.path(folder, paste0(name, "-", chosen, ".png"))
  for (k in which(!file.exists(files))) {
    from <- file.path(folder, paste0("plain-", chosen[k], ".png"))
    write_pixels(portraits[[chosen[k]]](), from)
    natural_looks[[name]]$make(from, files[k])
  }

  made <- file.exists(files)
  styled <- kept_findings(
    "people",
    list("drawn", 1, name, chosen[made]),
    lapply(files[made], function(file) function() pixels_of(file))
  )
  at <- lapply(styled, sure_face)
  theirs <- mapply(
    function(finding, at) if (!is.null(at)) finding$faces$descriptor[at, ],
    styled,
    at,
    SIMPLIFY = FALSE
  )
  compare_faces(name, descriptors[chosen[made]], theirs, drawings$person[chosen[made]])
}
