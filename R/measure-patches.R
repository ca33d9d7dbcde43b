measure_patches <- function() {
  new_probe(
    "patches",
    "how many",
    counts = TRUE,
    sees = paste0(
      "how many separate patches of a named or given colour lie in a place, each at least a ",
      "thousandth of the picture"
    ),
    blind_to = "their shapes; patches that touch count as one",
    source = "OKLab (Ottosson 2020), colour_names(), connected regions",
    look_at = function(seen, probe) {
      member <- matrix(0, nrow(seen$inside), ncol(seen$inside))
      member[seen$inside] <- colour_membership(seen$lab, probe$colour)
      # A speck of another colour neither makes a patch nor parts one.
      marked <- core_blur(member, 1) > 0.5 & seen$inside
      regions <- core_regions(marked + 0)
      large <- regions[regions[, "weight"] >= least_patch * length(marked), , drop = FALSE]
      list(number = nrow(large), counted = as.numeric(marked[seen$inside]), boxes = large)
    }
  )
}

least_patch <- 0.001
