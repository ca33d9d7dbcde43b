measure_figures <- function() {
  new_measure(
    "figures", "structure",
    range = "1 as many, 0 none of them or twice as many (raw: how many)", better = "higher",
    sees = "how many separate figures stand against the background",
    blind_to = "what they are; figures that touch the border or each other",
    source = "what a flood from the border over steps below 0.02 OKLab does not reach",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      before <- scene$reference$figures
      if (before == 0) {
        return(NULL)
      }
      new_scores(max(0, 1 - abs(scene$take$figures - before) / before), scene$take$figures)
    }
  )
}
