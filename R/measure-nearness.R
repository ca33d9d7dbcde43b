measure_nearness <- function() {
  new_probe(
    "nearness",
    "0 as far as two looks are apart, 1 as near as pictures of one look are",
    sees = "how near the picture's manner is to that of a look of the suite",
    blind_to = "what is shown and where",
    source = "style vector whitened by content, see docs/measures.md",
    look_at = function(seen, probe) {
      look <- seen$scene$looks[[probe$look]]
      if (length(look) == 0) {
        return(NULL)
      }

      distance <- style_distance(seen$scene$take$style, mean_style(look))
      list(
        number = min(
          1,
          max(0, (style_space$between - distance) / (style_space$between - style_space$within))
        )
      )
    }
  )
}
