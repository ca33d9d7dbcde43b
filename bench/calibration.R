# Does hold mean the same on every engine, once they are calibrated? Calibrates
# every stand-in on two cases of the demo and measures structure on others, before
# and after. Run from the root with the package installed:
#   Rscript bench/calibration.R [figure.png]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- commandArgs(TRUE)
folder <- file.path(tempfile("bench-calibration-"), "demo")
new_trial(folder, demo = TRUE)
engines <- c("yarrow", "bracken", "quince", "teasel", "sorrel")
holds <- c(0.2, 0.35, 0.5, 0.65, 0.8)
judged <- c("ferry-teal", "tower-bright", "kites-tiny")

measure <- function(trial, when) {
  cases <- Filter(function(case) case$id %in% judged, trial$suite$cases)
  do.call(
    rbind,
    lapply(engines, function(name) {
      engine <- trial$lineup$engines[[name]]
      pipeline <- core("calibration_pipeline")(trial, name, NULL, NULL)
      inputs <- core("cache_of_pictures")()
      grid <- expand.grid(hold = holds, case = seq_along(cases), seed = trial$suite$seeds)
      structure <- mapply(
        function(hold, i, seed) {
          pipeline$hold <- hold
          case <- cases[[i]]
          take <- data.frame(
            take = "bench-bench",
            pipeline = "calibration",
            case = case$id,
            seed = seed,
            attempt = 1L,
            control = NA_character_,
            parent = NA_character_
          )
          request <- core("request_for")(trial, pipeline, engine, take, inputs)
          # sorrel's file breaks off once in a while: tried again, as a run would.
          core("structure_of")(
            core("make_patiently")(engine, request)$bytes,
            request,
            case$id,
            inputs
          )
        },
        grid$hold,
        grid$case,
        grid$seed
      )
      means <- tapply(structure, grid$hold, mean)
      data.frame(when = when, engine = name, hold = holds, structure = as.vector(means))
    })
  )
}

before <- measure(read_trial(folder), "before")

for (name in engines) {
  print(calibrate_engine(folder, name))
}

after <- measure(read_trial(folder), "after")
all <- rbind(before, after)
all$when <- factor(all$when, c("before", "after"))

wide <- function(part) {
  round(tapply(part$structure, list(part$engine, part$hold), mean)[engines, ], 2)
}

for (when in levels(all$when)) {
  table <- wide(all[all$when == when, ])
  cat(
    "\n", when, " calibration: structure on ", length(judged), " other cases at hold\n",
    sep = ""
  )
  print(table)
  cat("spread:", format(apply(table, 2, function(column) diff(range(column)))), "\n")
}

if (length(given)) {
  figure <- ggplot2::ggplot(all, ggplot2::aes(hold, structure, colour = engine)) +
    ggplot2::geom_abline(linetype = "dashed", colour = "#888888") +
    ggplot2::geom_line(linewidth = 1) +
    ggplot2::geom_point(size = 2.4) +
    ggplot2::geom_text(
      ggplot2::aes(label = engine),
      all[all$hold == 0.5 & all$when == "before", ],
      hjust = 1.1,
      vjust = -0.7,
      size = 3.9
    ) +
    ggplot2::facet_wrap("when") +
    ggplot2::scale_colour_manual(
      values = stats::setNames(core("family_palette")[seq_along(engines)], engines),
      guide = "none"
    ) +
    ggplot2::scale_x_continuous(breaks = holds, expand = ggplot2::expansion(0.06)) +
    ggplot2::coord_cartesian(ylim = c(0, 1)) +
    ggplot2::labs(
      title = "Hold before and after calibration",
      y = "structure kept",
      x = "hold: 0 lets the reference go, 1 keeps it",
      subtitle = paste0(
        "Means over three cases that took no part in calibrating, three seeds each; dashed: hold ",
        "as it is meant"
      )
    ) +
    core("theme_sprenn")()
  ggplot2::ggsave(
    given[1],
    figure,
    width = 1280 / 110,
    height = 640 / 110,
    dpi = 110,
    device = ragg::agg_png
  )
}

unlink(dirname(folder), recursive = TRUE)
