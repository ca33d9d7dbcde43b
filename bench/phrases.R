# How prompts are read: Rscript bench/phrases.R [FILE | chance]. Two hundred prompts in the manner of people who
# write them, with what of each phrase can be checked as a person sees it (bench/phrases): the first
# hundred were at hand when the reader was written; the second was written before it, and first looked
# at once it had been measured.
#
# right: some facts were read, and all of them are among the person's; wrong: one is not; none: nothing
# was read. A check that asks for less than the person's (at any place, at least so many) is right.
#
# chance: what drafted probes give on average on the photographs of the part `report`
# (bench/natural/photographs.csv, fetched once), of which nobody asked it. Their bounds are of the part
# `fit`.
suppressMessages(library(sprenn))

folder <- "bench/phrases"
facts_of_person <- function(text) {
  if (text == "-") {
    return(list())
  }

  lapply(strsplit(text, " & ", fixed = TRUE)[[1]], function(one) {
    words <- strsplit(one, " ", fixed = TRUE)[[1]]
    last <- words[length(words)]
    middle <- paste(words[-c(1, length(words))], collapse = " ")
    switch(words[1],
      colour = c("colour", middle, last),
      thing = c("thing", middle, last),
      people = c("people", "people", last),
      light = c("light", words[2], "whole"),
      contrast = c("tone", paste(last, "contrast"), "whole"),
      mono = ,
      vivid = ,
      muted = c("tone", words[1], "whole"),
      busy = ,
      symmetry = c("layout", words[1], "whole"),
      plain = c("layout", "plain", last),
      smile = ,
      frown = c("person", words[1], "whole"),
      facing = c("person", one, "whole"),
      figure = c("person", if (last == "full") "full figure" else "portrait", "whole"),
      text = c("text", gsub("\"", "", sub("^text ", "", one)), "whole")
    )
  })
}

# Things go by the names of the kinds that judges know.
kind_of_thing <- function(name) {
  known <- sprenn:::thing_words
  own <- names(Filter(function(words) name %in% words, known))
  c(own, name)[1]
}

at_most <- function(read, wanted) {
  number <- function(text) as.numeric(sub("[+]", "", text))
  open <- grepl("[+]", read)
  if (open) {
    number(read) <= number(wanted) && number(wanted) > 0
  } else {
    identical(read, wanted)
  }
}

is_right <- function(read, wanted) {
  any(vapply(wanted, function(one) {
    if (one[1] != read$kind) {
      return(FALSE)
    }

    switch(read$kind,
      colour = one[2] == read$of && (read$at == "any" || read$at == one[3]),
      thing = kind_of_thing(one[2]) == read$of && at_most(read$at, one[3]),
      people = at_most(read$at, one[3]),
      layout = one[2] == read$of && one[3] == read$at,
      one[2] == read$of
    )
  }, NA))
}

judge_file <- function(file) {
  lines <- grep("^#|^$", readLines(file), value = TRUE, invert = TRUE)
  rows <- lapply(strsplit(lines, " | ", fixed = TRUE), function(phrases) {
    lapply(strsplit(phrases, " => ", fixed = TRUE), function(parts) {
      wanted <- facts_of_person(parts[2])
      read <- sprenn:::read_phrase(parts[1])
      right <- vapply(seq_len(nrow(read)), function(i) is_right(read[i, ], wanted), NA)
      data.frame(
        phrase = parts[1],
        wanted = parts[2],
        read = paste(read$kind, read$of, read$at, collapse = " & "),
        state = if (nrow(read) == 0) "none" else if (all(right)) "right" else "wrong"
      )
    })
  })
  do.call(rbind, unlist(rows, recursive = FALSE))
}

# The mean grade of a probe over pictures that are seen already.
grade_of <- function(scenes, fact) {
  probe <- sprenn:::build_probe(sprenn:::probe_of_fact(fact))
  measure <- sprenn:::probe_named(probe$measure)
  mean(vapply(scenes, function(scene) measure$compute(scene, probe)$value, 0))
}

print_chance <- function() {
  source("bench/natural/gather.R")
  photographs <- gather_photographs()
  paths <- photographs$path[photographs$part == "report"]
  scenes <- lapply(paths, function(path) {
    take <- sprenn:::view_picture(pixels_of(photograph(path, 512)))
    list(take = take, oklab = sprenn:::view_oklab(take))
  })
  cat(length(scenes), "photographs\n")
  for (key in names(sprenn:::fact_bounds)) {
    words <- strsplit(key, " ")[[1]]
    at <- if (key == "layout plain") "border" else "whole"
    fact <- sprenn:::new_fact(words[1], paste(words[-1], collapse = " "), at)
    cat(sprintf("%-22s %.2f\n", key, grade_of(scenes, fact)))
  }
  for (place in c("top", "border")) {
    each <- vapply(colour_names()$colour, function(colour) {
      grade_of(scenes, sprenn:::new_fact("colour", colour, place))
    }, 0)
    most <- names(which.max(each))
    cat(sprintf("a colour, %-12s %.2f (%s %.2f)\n", place, mean(each), most, max(each)))
  }
  for (colour in sprenn:::telling_colours) {
    fact <- sprenn:::new_fact("colour", colour, "any")
    cat(sprintf("%-22s %.2f\n", paste("some", colour), grade_of(scenes, fact)))
  }
}

wanted <- commandArgs(TRUE)
if (identical(wanted, "chance")) {
  print_chance()
  quit()
}

files <- if (length(wanted)) wanted else file.path(folder, c("first.txt", "second.txt"))
for (file in files) {
  found <- judge_file(file)
  share <- table(factor(found$state, c("right", "wrong", "none"))) / nrow(found)
  checkable <- found$wanted != "-"
  cat(sprintf(
    "%s: %d phrases, right %.3f, wrong %.3f, none %.3f; of %d that can be checked, right %.3f\n",
    basename(file), nrow(found), share[1], share[2], share[3], sum(checkable),
    mean(found$state[checkable] == "right")
  ))
  if (length(wanted)) {
    print(found[found$state == "wrong", ], right = FALSE, row.names = FALSE)
    print(found[found$state == "none" & checkable, ], right = FALSE, row.names = FALSE)
  }
}
