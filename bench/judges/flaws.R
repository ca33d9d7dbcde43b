# Flaws that a case may have judges look for (`flaws`), on the photographs that no bound was set on:
# how often each is found where it was put in, and where nothing was.
source("bench/natural/gather.R")
source("bench/natural/looks.R")
source("bench/judges/asking.R")

labels <- utils::read.csv("bench/judges/photographs.csv", colClasses = "character")
unseen <- gather_unseen(labels[labels$half == "unseen", ])
labels <- labels[match(unseen$file, labels$file), ]
shown <- function(paths, edge) {
  lapply(paths, function(path) function() at_edge(pixels_of(path), edge))
}
people <- kept_findings("people", unseen$sha256, shown(unseen$path, 640))
letters <- kept_findings("letters", unseen$sha256, shown(unseen$path, 1600))
folder <- file.path(kept_in(), "flaws")
dir.create(folder, showWarnings = FALSE)

levels_of <- function(kind, takes, references = vector("list", length(takes))) {
  unlist(Map(
    function(take, reference) core("judged_flaw")(kind, take, reference)$level,
    takes,
    references
  ))
}
say <- function(what, levels) {
  cat(sprintf(
    "%-44s of %3d: slight %d, serious %d\n",
    what, length(levels), sum(levels == "slight"), sum(levels == "serious")
  ))
}

# A word across a photograph, in a plain font, a twelfth of its height tall.
words <- c("HARBOUR", "Ferry", "LANTERN", "Island", "signal", "WINDMILL")
bare <- which(labels$lettering == "no")
written <- file.path(folder, paste0("written-", unseen$sha256[bare], ".png"))
for (k in which(!file.exists(written))) {
  picture <- pixels_of(unseen$path[bare[k]])
  size <- dim(picture)[2:1]
  ragg::agg_png(written[k], size[1], size[2])
  par(mar = rep(0, 4), xaxs = "i", yaxs = "i")
  plot(0:1, 0:1, type = "n", axes = FALSE)
  graphics::rasterImage(pmin(1, pmax(0, picture)), 0, 0, 1, 1)
  # At 72 pixels an inch and 12 points, a text of cex 1 is 12 pixels high.
  text(
    0.5, c(0.9, 0.5, 0.1)[1 + k %% 3], words[1 + k %% length(words)],
    cex = max(12, size[2] / 12) / 12, col = c("white", "black", "#c03020")[1 + (k %/% 3) %% 3]
  )
  dev.off()
}
with_words <- kept_findings("letters", c("written", unseen$sha256[bare]), shown(written, 1600))
say("lettering, where there is none", levels_of("lettering", letters[bare]))
say("lettering, with a word written over it", levels_of("lettering", with_words))

# Faces and people under looks that change nobody, and strangers in their place.
faced <- which(vapply(people, function(one) length(core("sure_faces")(one$faces)) > 0, NA))
names <- names(natural_looks)
names <- names[round(seq(1, length(names), length.out = 12))]
for (name in names) {
  files <- file.path(folder, paste0(name, "-", unseen$sha256[faced], ".png"))
  for (k in which(!file.exists(files))) {
    from <- tempfile(fileext = ".png")
    write_pixels(at_edge(pixels_of(unseen$path[faced[k]]), 640), from)
    natural_looks[[name]]$make(from, files[k])
  }

  made <- which(file.exists(files))
  styled <- kept_findings("people", c(name, unseen$sha256[faced[made]]), shown(files[made], 640))
  say(paste("likeness lost, under", name), levels_of("likeness", styled, people[faced[made]]))
  say(paste("number changed, under", name), levels_of("number", styled, people[faced[made]]))
}

alone <- faced[labels$people[faced] == "1" & labels$who[faced] != ""]
pairs <- expand.grid(one = alone, other = alone)
pairs <- pairs[labels$who[pairs$one] != labels$who[pairs$other], ]
say("likeness lost, a stranger", levels_of("likeness", people[pairs$one], people[pairs$other]))
