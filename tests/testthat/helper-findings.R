# A trial whose judge finds what is in a picture by its light.

# A suite of six cases, of which each asks for one of three things, and a judge that finds what the
# reference is named by: its light.
finding_suite <- function() {
  things <- rep(c("kite", "boat", "clock"), 2)
  c(
    "suite: finds",
    "size: 64",
    "seeds: [1, 2, 3, 4]",
    "cases:",
    unlist(lapply(seq_along(things), function(i) {
      c(
        sprintf("  - id: case-%d", i),
        "    job: restyle",
        sprintf("    reference: references/%s.png", things[i]),
        sprintf(
          "    prompt: [{say: one %s, find: {thing: %s, count: at least 1}}]", things[i], things[i]
        ),
        "    negative: [{say: lettering, find: {lettering: some}}]"
      )
    }))
  )
}

# The light of a picture says which thing is in it: 0.2 a kite, 0.5 a boat, 0.8 a clock.
finds_by_light <- function(pictures) {
  lapply(pictures, function(pixels) {
    thing <- c("kite", "boat", "clock")[which.min(abs(mean(pixels) - c(0.2, 0.5, 0.8)))]
    list(
      things = data.frame(
        said = thing, left = 0.1, top = 0.1, right = 0.5, bottom = 0.5, sure = 0.8
      ),
      words = data.frame(
        said = character(), left = numeric(), top = numeric(), right = numeric(),
        bottom = numeric(), sure = numeric()
      )
    )
  })
}

finding_trial <- function(find, env = parent.frame()) {
  folder <- small_trial(
    suite = finding_suite(),
    brief = c(
      "brief: find", "weights: {structure: 0.5, adherence: 0.5}", "style: stay",
      "structure_from: {structure: 1, owl_number: 1}",
      "judges:", "  owl: {kind: finding, file: owl.R}"
    ),
    env = env
  )
  for (thing in c("kite", "boat", "clock")) {
    light <- c(kite = 0.2, boat = 0.5, clock = 0.8)[[thing]]
    png::writePNG(
      array(light, c(48, 64, 3)),
      file.path(folder, "references", paste0(thing, ".png"))
    )
  }

  assign("owl_finds", find, globalenv())
  withr::defer(rm("owl_finds", envir = globalenv()), envir = env)
  writeLines("judge('owl', '1', find = get('owl_finds', globalenv()))", file.path(folder, "owl.R"))
  folder
}

# Parts of a finding.
box_at <- function(left, top, right, bottom, sure) {
  data.frame(left = left, top = top, right = right, bottom = bottom, sure = sure)
}

# Things of some kinds at the same place, each so sure.
some_things <- function(said, sure) {
  n <- length(said)
  cbind(
    said = said,
    box_at(rep(0.1, n), rep(0.1, n), rep(0.3, n), rep(0.3, n), sure)
  )
}

face_like <- function(left, yaw, descriptor, happy = 0.1, sure = 0.9) {
  list(
    left = left, top = rep(0.2, length(left)), right = left + 0.3,
    bottom = rep(0.6, length(left)), sure = rep(sure, length(left)),
    expression = matrix(rep(c(0, 0, 0, happy, 1 - happy, 0, 0), each = length(left)), length(left)),
    turn = cbind(yaw, 0 * left, 0 * left, deparse.level = 0),
    descriptor = descriptor
  )
}

a_judge <- function(find = identity) judge("owl", find = find)
