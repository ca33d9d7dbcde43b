# Takes recorded as if a run had made them, for benches of what comes after making.
record_drawn <- function(store, take, picture, size, cost) {
  kept <- core("keep_pictures")(store, list(picture))
  core("record_made")(
    store,
    data.frame(
      take = take,
      file = kept$file,
      sha256 = kept$sha256,
      width = size[1],
      height = size[2],
      bytes = length(picture),
      seconds = 1,
      cost = cost,
      request = "{}",
      answer = "{}",
      first_call = FALSE
    )
  )
}

# A trial in `folder` of about so many takes of 50 cases, every picture another one; the first `made`
# of them are recorded and measured as a run would leave them.
many_recorded <- function(folder, wanted, made = Inf) {
  cases <- 50
  pipelines <- max(1, wanted %/% (cases * 4))
  dir.create(file.path(folder, "references"), recursive = TRUE)
  size <- c(384, 256)

  tiles <- lapply(1:8, function(i) {
    core("draw_tile")(core("tile_names")()[i], size[1], size[2], i)
  })

  for (i in 1:8) {
    core("write_drawing")(tiles[[i]], file.path(folder, "references", paste0(i, ".png")))
  }

  writeLines(
    c(
      "suite: many",
      "seeds: [1, 2, 3, 4]",
      "size: [384, 256]",
      "cases:",
      sprintf(
        paste0(
          "  - {id: c%02d, job: restyle, reference: references/%d.png, prompt: [a hill, {say: ",
          "dark, probe: {brightness: at most 0.9}}, number %d]}"
        ),
        seq_len(cases),
        1 + seq_len(cases) %% 8,
        seq_len(cases)
      )
    ),
    file.path(folder, "suite.yml")
  )

  writeLines(
    c(
      "engines:",
      "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
      "pipelines:",
      sprintf(
        "  - {id: p%d, engine: yarrow, checkpoint: tide, hold: %.4f}",
        seq_len(pipelines),
        seq_len(pipelines) / (pipelines + 1)
      )
    ),
    file.path(folder, "lineup.yml")
  )

  writeLines(
    c(
      "brief: x",
      "weights: {structure: 0.5, adherence: 0.2, style: 0.3}",
      "floors: {structure: 0.3}",
      "style: stay",
      "limits: {takes: 1000000, hours: 10000}"
    ),
    file.path(folder, "brief.yml")
  )

  trial <- read_trial(folder)
  plan <- plan_run(trial)$takes
  store <- core("open_store")(folder, "main", create = TRUE)
  core("record_plan")(store, trial, plan)
  manners <- c("linocut", "gouache", "blueprint", "mosaic")

  painted <- unlist(
    lapply(tiles, function(tile) {
      lapply(manners, function(manner) {
        core("with_drawing_seed")(
          1,
          core("paint_manner")(tile, manner, core("home_palette")(manner))
        )
      })
    }),
    recursive = FALSE
  )

  one <- core("score_bytes")(
    png::writePNG(painted[[1]]),
    trial$suite$cases[[1]],
    trial$suite,
    core("Cache")$new()
  )

  for (i in seq_len(min(made, nrow(plan)))) {
    picture <- core("with_drawing_seed")(i, {
      base <- painted[[1 + i %% length(painted)]][, (seq_len(size[1]) + sample(size[1], 1)) %%
        size[1] +
        1, ]
      png::writePNG(core("clamp")(base + stats::rnorm(length(base), 0, 0.02)))
    })
    record_drawn(store, plan$take[i], picture, size, 0.01)
    scores <- one$scores
    graded <- scores$axis != "flaws"
    scores$value[graded] <- core("with_drawing_seed")(
      i,
      pmin(
        1,
        pmax(
          0,
          0.2 +
            0.6 * match(plan$pipeline[i], unique(plan$pipeline)) / pipelines +
            stats::rnorm(sum(graded), 0, 0.1)
        )
      )
    )
    core("record_scores")(
      store,
      plan$take[i],
      list(list(scores = scores, print = one$print, overlay = one$overlay))
    )
  }

  core("set_facts")(store, measures = core("version_of_measures")(trial$suite))
  core("close_store")(store)
  trial
}
