# Details: outlines and lines that vanished or that are new.

measure_edges <- function() {
  new_measure(
    "edges",
    "structure",
    range = "0 chance, 1 the same outlines",
    better = "higher",
    sees = "thin outlines within about 2 px of the same place in 384",
    blind_to = "where texture draws outlines everywhere, it sees agreement: not part of structure",
    formula = paste0(
      "(r - chance) / (1 - chance), r = 2pq / (p + q), p and q the shares of outlines near the ",
      "other"
    ),
    source = "outlines (Canny 1986) and exact distances (Felzenszwalb and Huttenlocher 2012)",
    cost = "low",
    needs = "reference",
    shown_as = "details",
    compute = function(scene) from_chance(scene, "edges")
  )
}

measure_vanished <- function() {
  new_measure(
    "vanished",
    "structure",
    range = "0 none to 1 (share of the reference's outlines)",
    better = "lower",
    sees = "details of the reference that the take lost, with the largest place",
    blind_to = "colour, what has no outline",
    formula = "outlines of the reference without a counterpart / all its outlines",
    source = "outlines more than 4 px in 384 from any of the other picture, where most around are",
    cost = "low",
    needs = "reference",
    shown_as = "details",
    compute = function(scene) unmatched_score(scene$gone)
  )
}

# Value and raw are the share; the place is the largest region.
unmatched_score <- function(found) {
  place <- if (nrow(found$boxes)) say_box(found$boxes[1, 1:4]) else NA_character_
  new_scores(found$share, found$share, place = place)
}

measure_new_details <- function() {
  new_measure(
    "new_details",
    "structure",
    range = "0 none to 1 (share of the take's outlines)",
    better = "lower",
    sees = "details that appeared from nowhere, with the largest place",
    blind_to = "colour, what has no outline",
    formula = "outlines of the take without a counterpart / all its outlines",
    source = "as vanished, the other way round",
    cost = "low",
    needs = "reference",
    shown_as = "details",
    compute = function(scene) unmatched_score(scene$come)
  )
}

measure_lines <- function() {
  new_measure(
    "lines",
    "structure",
    range = "0 none of them, 1 the same (raw: cosine)",
    better = "higher",
    sees = "the directions in which straight lines run",
    blind_to = "where they are, curves, colour",
    formula = paste0(
      "sum(a b) / sqrt(sum(a^2) sum(b^2)), a and b the histograms of directions in steps of 3 ",
      "degrees"
    ),
    source = "outline pixels voting for lines at their own angle (Hough 1962; Duda and Hart 1972)",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      ours <- spread_directions(scene$take$directions)
      theirs <- spread_directions(scene$reference$directions)
      if (sum(theirs) == 0) {
        return(NULL)
      }

      agreed <- if (sum(ours) > 0) sum(ours * theirs) / sqrt(sum(ours^2) * sum(theirs^2)) else 0
      new_scores(agreed, agreed)
    }
  )
}

# Each direction (steps of 3 degrees, round and round) reaches into those beside it.
spread_directions <- function(directions) {
  turned <- function(by) directions[(seq_along(directions) - 1 + by) %% length(directions) + 1]
  0.5 * directions + 0.25 * (turned(1) + turned(-1))
}

# Watched regions: whether what must stay has stayed.

measure_watch <- function() {
  new_measure(
    "watch",
    "flaws",
    range = "0 chance, 1 the same structure in the region",
    better = "higher",
    sees = "whether a watched region survived, where it was or a little aside",
    blind_to = "its colours; the rest of the picture",
    formula = "(r - chance) / (1 - chance), r the orientation agreement inside the region",
    source = "orientation agreement in the region, sought within 4 % of the long edge",
    cost = "low",
    needs = "reference",
    shown_as = "watch",
    compute = function(scene) {
      lapply(names(scene$watch), function(name) {
        region <- scene$watch[[name]]
        found <- scene$watched[[name]]
        value <- rescale_from_chance(found$agreement, found$chance)
        level <- c("none", "slight", "serious")[1 +
          (value < region$least) +
          (value < 0.6 * region$least)]
        new_scores(value, found$agreement, level, place = name)
      })
    }
  )
}

# Each watched region looked for in the take; chance is what decoys have there.
find_watched <- function(scene) {
  lapply(scene$watch, function(region) {
    found <- core_watched(scene$settled, scene$reference$handle, region$kept, 0.04)
    by_chance <- function(decoy) {
      core_watched(decoy$handle, scene$reference$handle, region$kept, 0.04)$agreement
    }

    found$chance <- mean(vapply(scene$decoys, by_chance, 0))
    found
  })
}

measure_watch_colour <- function() {
  new_measure(
    "watch_colour",
    "structure",
    range = "1 the same colours, 0 as far apart as red and green (raw: OKLab difference)",
    better = "as asked",
    sees = "whether a watched region kept its colours",
    blind_to = "its shapes; which pixel has which colour",
    formula = "max(0, 1 - d / 0.4), d the distance of mean colours in OKLab",
    source = "difference of mean OKLab colours where the region was found",
    cost = "none",
    needs = "reference",
    shown_as = "watch",
    compute = function(scene) {
      lapply(names(scene$watched), function(name) {
        apart <- scene$watched[[name]]$colour
        new_scores(max(0, 1 - apart / 0.4), apart, place = name)
      })
    }
  )
}
