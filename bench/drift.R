# Is an engine found out that changed behind its name, and nothing else called changed? Two runs
# of the demo; before the second one yarrow's checkpoint is altered a little, its version left as
# it is. From the root with the package installed:
#   Rscript bench/drift.R
library(sprenn)
folder <- tempfile("drift-")
new_trial(folder, demo = TRUE)
altered <- standin_yarrow()
paint <- altered$make

altered$make <- function(request) {
  made <- paint(request)
  made$picture[] <- pmin(1, pmax(0, 0.5 + 1.15 * (made$picture - 0.5)))
  made
}

before <- read_trial(folder)
before$lineup$controls <- character()
run_trial(before, "before")
after <- read_trial(folder, engines = list(yarrow = altered))
after$lineup$controls <- character()
run_trial(after, "after")
found <- compare_runs(after, "before", "after")
print(found)
told <- found$pictures$pipeline[found$pictures$silent]
own <- grep("^yarrow", found$pictures$pipeline, value = TRUE)
others <- setdiff(found$scores$pipeline[found$scores$changed], own)

cat(
  sprintf(
    "\naltered behind their names: %d pipelines, found: %d; others called changed: %d of %d\n",
    length(own),
    sum(own %in% told),
    length(union(others, setdiff(told, own))),
    nrow(found$pictures) - length(own)
  )
)

unlink(folder, recursive = TRUE)
