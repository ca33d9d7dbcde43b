# Trials of pipelines that give their engine something else than a case has, and the requests that
# it really gets.

# An engine that takes everything, and remembers what it was asked.
witnessed <- new.env()
witness_engine <- function() {
  engine(
    list(
      name = "witness",
      version = "1",
      checkpoints = list(any = list(), even = list(multiple_of = 32)),
      hold = c(at_0 = 0, at_1 = 1),
      settings = list(guidance = c(1, 20)),
      takes = c(
        "look", "mask", "references", "text_alone", "negative", "edges", "soft_edges", "areas",
        "depth", "pose"
      ),
      add_ons = "grain"
    ),
    function(request) {
      witnessed[[paste(unlist(request$names[c("pipeline", "case", "seed")]), collapse = " ")]] <-
        request
      engine_result(core_dead_leaves(request$size[1], request$size[2], request$seed), cost = 0)
    }
  )
}
assign("witness_engine", witness_engine, globalenv())

given_suite <- c(
  "suite: given",
  "seeds: [1]",
  "size: [96, 64]",
  "looks: {paint: {pictures: [references/three.png]}}",
  "cases:",
  paste0(
    "  - {id: one, job: swap, reference: references/one.png, look: {name: paint, weight: 0.7}, ",
    "prompt: [a thing, {say: a red sky, weight: 1.5}], negative: [rain], ",
    "guides: {edges: {weight: 0.5, release: 0.9}, areas: 0.4}, ",
    "mask: {boxes: [[0.25, 0.25, 0.75, 0.75]], feather: 2}}"
  ),
  "  - {id: two, job: restyle, reference: references/two.png, prompt: neutral}"
)

given_lineup <- c(
  "engines:",
  "  witness: {kind: function, file: witness.R}",
  "pipelines:"
)

given_trial <- function(..., suite = given_suite, env = parent.frame()) {
  folder <- small_trial(suite, c(given_lineup, ...), env = env)
  writeLines("get('witness_engine', globalenv())()", file.path(folder, "witness.R"))
  folder
}

# A pipeline in one line.
pipeline_line <- function(id, more = "", jobs = "[swap]") {
  paste0(
    "  - {id: ", id, ", engine: witness, checkpoint: any, hold: 0.5, jobs: ", jobs,
    if (nzchar(more)) ", ", more, "}"
  )
}

# The request that a pipeline of these fields makes for a case.
request_given <- function(more = "", case = "one", suite = given_suite) {
  jobs <- if (case == "one") "[swap]" else "[restyle]"
  folder <- given_trial(pipeline_line("p", more, jobs), suite = suite)
  run_trial(folder, workers = 0)
  witnessed[[paste("p", case, 1)]]
}
