# What every engine will be given, as files to look at.

# What a case's engines are given: prepare_inputs() for each size that one of
# them works at, with the names of those that do.
inputs_by_size <- function(case, trial) {
  sizes <- case_sizes(case, trial)
  label <- paste(sizes$width, sizes$height)
  lapply(unname(split(sizes, factor(label, unique(label)))), function(same) {
    size <- c(same$width[1], same$height[1])
    c(
      prepare_inputs(case, trial$suite, size),
      list(size = size, engines = unique(paste(same$engine, same$checkpoint)))
    )
  })
}

# Writes fitted references, guides and mask, one folder a size.
write_inputs <- function(prepared, folder) {
  for (inputs in prepared) {
    to <- file.path(folder, paste(inputs$size, collapse = "x"))
    dir.create(to, recursive = TRUE, showWarnings = FALSE)
    pictures <- c(
      stats::setNames(
        inputs$references,
        c("reference", paste0("reference-", 2:9))[seq_along(inputs$references)]
      ),
      lapply(inputs$guides, `[[`, "picture"),
      if (!is.null(inputs$mask)) list(mask = inputs$mask)
    )
    for (name in names(pictures)) {
      png::writePNG(pictures[[name]], file.path(to, paste0(name, ".png")))
    }
  }
}
