# The one table of fields of the files that a person writes: the three of a trial, and
# that of workers on other machines. The checks,
# the JSON Schemas in inst/schema/ and docs/files.md are all made from it.
#
# `place`: `[]` is every item of a list, `*` every name of a map.
# `type`: one or more of the words in field_types(), joined by " or ".
trial_fields <- function(file) {
  fields <- switch(file, suite.yml = suite_fields(), lineup.yml = lineup_fields(), brief.yml = brief_fields(), workers.yml = workers_fields())
  fields$needed <- fields$needed == "yes"
  fields
}

jobs <- c("restyle", "vary", "repair", "swap", "edit", "extend", "blend", "fresh")
guide_kinds <- c("edges", "soft_edges", "areas", "depth", "pose")
control_kinds <- c("blank_prompt", "swapped_prompt", "no_reference", "no_look", "no_guide", "repeat")
choice_of <- function(words) paste("choice", paste(words, collapse = "|"))

suite_fields <- function() {
  rbind(
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "suite", "id", "yes", "The suite's name.",
      "title", "text", "no", "A title for sheets and reports. It is no part of the fingerprint.",
      "seeds", "list", "yes", "The seeds, the same for every pipeline.",
      "seeds[]", "integer 0..2147483647", "no", "One seed.",
      "size", "size", "no", "What is delivered: [width, height], or one number for the long edge, and then every case keeps its reference's own aspect. 576 if left out.",
      "looks", "map", "no", "Looks by name.",
      "looks.*", "record", "no", "One look.",
      "looks.*.pictures", "list", "yes", "Pictures that show the look.",
      "looks.*.pictures[]", "path", "no", "One picture of the look.",
      "cases", "list", "yes", "What is asked, one entry a case.",
      "cases[]", "record", "no", "One case.",
      "cases[].id", "id", "yes", "The case's name, once in a suite.",
      "cases[].like", "id", "no", "The id of another case, from which all is taken that this one leaves out.",
      "cases[].job", choice_of(jobs), "yes", "The kind of work.",
      "cases[].reference", "path or record", "no", "The picture to start from."
    ),
    reference_fields("cases[].reference"),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "cases[].references", "list 2..8", "no", "Several pictures to start from, for `blend` and `vary`. The first one sets the frame.",
      "cases[].references[]", "path or record", "no", "One of them."
    ),
    reference_fields("cases[].references[]"),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "cases[].references[].weight", "number 0..4", "no", "How much it counts beside the others; 1 if left out.",
      "cases[].look", "text or record", "no", "The look wanted, by its name.",
      "cases[].look.name", "text", "yes", "Its name.",
      "cases[].look.weight", "number 0..2", "no", "How strongly it is wanted; 1 if left out.",
      "cases[].prompt", "text or list", "yes", "What is asked for: one text, a list of phrases, or the word neutral where text should not matter. `sprenn caption` drafts one.",
      "cases[].prompt[]", "text or record", "no", "One phrase."
    ),
    phrase_fields("cases[].prompt[]"),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "cases[].prompt[].must", "flag", "no", "Whether a take without it is of no use; false if left out.",
      "cases[].prompt[].drafted", "text", "no", "Written by `sprenn caption`: the mark of words that no person has touched. It stops counting when the words change.",
      "cases[].negative", "list", "no", "What is not wanted. It counts where it is present.",
      "cases[].negative[]", "text or record", "no", "One unwanted thing."
    ),
    phrase_fields("cases[].negative[]"),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "cases[].guides", "record", "no", "Maps that steer the structure."
    ),
    guide_fields(),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "cases[].mask", "path or record", "no", "What may change: white in a picture of the reference's shape, or boxes."
    ),
    mask_fields("cases[].mask"),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "cases[].mask.invert", "flag", "no", "Whether black is what may change; false if left out.",
      "cases[].mask.feather", "integer 0..256", "no", "How softly it ends, in pixels of the frame; 0 if left out.",
      "cases[].mask.padding", "integer 0..2048", "no", "How much around it the engine is shown, in pixels of the frame; all of it if left out.",
      "cases[].grow", "record", "no", "How much canvas is added at each side.",
      "cases[].grow.left", "number 0..2", "no", "As a share of the frame's width; 0 if left out.",
      "cases[].grow.top", "number 0..2", "no", "As a share of the frame's height; 0 if left out.",
      "cases[].grow.right", "number 0..2", "no", "As a share of the frame's width; 0 if left out.",
      "cases[].grow.bottom", "number 0..2", "no", "As a share of the frame's height; 0 if left out.",
      "cases[].watch", "map", "no", "Regions of the reference that must survive, by name.",
      "cases[].watch.*", "record", "no", "One region."
    ),
    mask_fields("cases[].watch.*", boxes = FALSE),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "cases[].watch.*.keep", "number 0..1", "no", "How much of its structure must be kept; 0.5 if left out."
    )
  )
}

# A phrase as a record, wanted or not.
phrase_fields <- function(place) {
  rows <- tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "say", "text", "yes", "The phrase's words.",
    "weight", "number 0..4", "no", "Its emphasis; 1 if left out.",
    "ask", "text", "no", "The statement that a judge is asked about; the phrase itself if left out.",
    "probe", "record", "no", "A check that pixels alone can answer.",
    "probe.where", "place", "no", "Where to look in the take; whole if left out.",
    "probe.colour", "colour", "no", "The colour whose share is taken, or whose patches are counted.",
    "probe.share", "bound", "no", "How much of the place has that colour.",
    "probe.patches", "count", "no", "How many separate patches of that colour the place has.",
    "probe.brightness", "bound", "no", "How light the place is: 0 black, 1 white.",
    "probe.contrast", "bound", "no", "How far its darks and lights are apart: 0 flat, 1 black and white.",
    "probe.colourfulness", "bound", "no", "How strong its colours are: 0 grey, 1 vivid all over.",
    "probe.warmth", "bound", "no", "Whether it leans to blue (0) or to orange (1); 0.5 is neither.",
    "probe.monochrome", "bound", "no", "How much of the place is grey or in one hue.",
    "probe.busy", "bound", "no", "How much of the place has detail.",
    "probe.symmetry", "bound", "no", "How far its right side mirrors its left.",
    "probe.look", "text", "no", "The look whose nearness is taken, by its name.",
    "probe.nearness", "bound", "no", "How near the picture's manner is to that look: 1 as near as pictures of one look are."
  )
  rows$place <- paste0(place, ".", rows$place)
  rows
}

reference_fields <- function(place) {
  rows <- tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "picture", "path", "yes", "Its file.",
    "fit", "choice crop|pad|stretch|extend", "no", "How it is brought to the delivered aspect: crop around the focus, pad with the fill, stretch, or extend, which pads and has the engine fill the padding. crop if left out.",
    "focus", "point", "no", "The point that a crop keeps nearest its middle, as shares of width and height; [0.5, 0.5] if left out.",
    "box", "cut", "no", "What is cut out of the picture before it is fitted; the whole picture if left out. What lies beyond the picture takes the fill.",
    "fill", "paint", "no", "The colour of padding; grey if left out.",
    "backdrop", "paint", "no", "The colour that shows through transparency; white if left out."
  )
  rows$place <- paste0(place, ".", rows$place)
  rows
}

guide_fields <- function() {
  one <- function(kind) {
    place <- paste0("cases[].guides.", kind)
    computed <- kind %in% c("edges", "soft_edges", "areas")
    rows <- tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "", if (computed) "number 0..2 or record" else "record", "no", c(
        edges = "Thin outlines, computed from the reference. A number is the weight.",
        soft_edges = "Broad outlines, computed from the reference. A number is the weight.",
        areas = "Flat areas of colour, computed from the reference. A number is the weight.",
        depth = "How near everything is.", pose = "Where the joints of figures are."
      )[[kind]],
      ".weight", "number 0..2", "no", "How strongly it steers; 1 if left out.",
      ".release", "number 0..1", "no", "The share of the process after which it lets go; 1 if left out.",
      if (kind == "pose") ".keypoints" else ".picture", "path", if (computed) "no" else "yes", switch(kind,
        pose = "A JSON file of keypoints, see docs/preparing.md.",
        depth = "A grey picture, 8 or 16 bit, of the reference's shape.",
        "A map drawn by hand, of the reference's shape, in place of the computed one."
      ),
      if (kind == "depth") ".near", "choice bright|dark", "no", "Which end of the greys is near; bright if left out."
    )
    rows$place <- paste0(place, rows$place)
    rows
  }
  do.call(rbind, lapply(guide_kinds, one))
}

mask_fields <- function(place, boxes = TRUE) {
  rows <- tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "picture", "path", "no", "A black and white picture of the reference's shape.",
    "box", "box", "no", "A box of the reference, before it is fitted."
  )
  if (boxes) {
    rows$place[2] <- "boxes"
    rows$type[2] <- "list"
    rows$doc[2] <- "Boxes of the reference, before it is fitted."
    rows[3, ] <- list("boxes[]", "box", "no", "One box.")
  } else {
    rows$place[1] <- "mask"
    rows$doc[1] <- "A picture of the reference's shape that is white where the region is."
  }
  rows$place <- paste0(place, ".", rows$place)
  rows
}

lineup_fields <- function() {
  rbind(
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "engines", "map", "yes", "The engines by name.",
      "engines.*", "record", "no", "One engine.",
      "engines.*.kind", choice_of(engine_kinds), "yes", "How it is reached: function is R code, http a server that keeps our own contract, inference a server that speaks the Open Inference Protocol, command a program, folder a person who makes the pictures.",
      "engines.*.call", "text", "no", "function: package::function that returns the engine, such as sprenn::standin_yarrow.",
      "engines.*.file", "path", "no", "function: an R file whose last value is the engine. It is run when the trial is read.",
      "engines.*.address", "address", "no", "http, inference: where it is. Nothing else is ever contacted.",
      "engines.*.key", "variable", "no", "http, inference: the environment variable that holds its key.",
      "engines.*.key_header", "text", "no", "http, inference: the header that carries the key; if left out it is sent as Authorization: Bearer.",
      "engines.*.model", "text", "no", "inference: the model's name.",
      "engines.*.tensors", "record", "no", "inference: which of our values go into and come out of which of the model's tensors; those that have the same name as here need not be given.",
      "engines.*.binary", "flag", "no", "inference: whether pictures travel as bytes behind the JSON, as the protocol's binary extension has it; true if left out.",
      "engines.*.refusals", "text", "no", "inference: words by which an error is known as a refusal by a content filter.",
      "engines.*.command", "list", "no", "command: the program and its arguments. A path is relative to the trial.",
      "engines.*.command[]", "text", "no", "One of them.",
      "engines.*.env", "list", "no", "command: the environment variables that the program is given beside PATH, HOME, LANG and TMPDIR. Their values are kept out of all records.",
      "engines.*.env[]", "variable", "no", "One of them.",
      "engines.*.folder", "path", "no", "folder: where the checklist is written and the pictures are looked for.",
      "engines.*.name", "text", "no", "folder: the name to save a picture under, without ending, with {pipeline}, {case} and {seed}; {pipeline}--{case}--{seed} if left out.",
      "engines.*.seconds", "number 0.1..86400", "no", "How long one call may take; 120 if left out.",
      "engines.*.at_once", "integer 1..256", "no", "How many calls to make at a time, in place of what the engine says itself.",
      "engines.*.per_minute", "number 0.01..100000", "no", "How many calls to make in a minute at most.",
      "engines.*.price", "number 0..100000", "no", "What a picture costs, for planning, in place of what the engine says itself.",
      "engines.*.patience", "number 1..604800", "no", "http: how long a picture may take altogether, queue included, in seconds; 1800 if left out.",
      "engines.*.about", "record", "no", "What the engine is and takes, where it can't say so itself (inference, command, folder)."
    ),
    about_fields("engines.*.about"),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "pipelines", "list", "yes", "The pipelines to choose between.",
      "pipelines[]", "record", "no", "One pipeline: one step written plainly, or several under steps.",
      "pipelines[].id", "id", "yes", "Its name, once in a lineup.",
      "pipelines[].like", "id", "no", "The id of another pipeline, from which all is taken that this one leaves out.",
      "pipelines[].jobs", "list", "no", "The jobs that it is tried on; all if left out.",
      "pipelines[].jobs[]", choice_of(jobs), "no", "One job.",
      "pipelines[].if_missing", "choice stop|drop", "no", "What happens when a case brings an input that the engine can't take: stop says so before anything is made, drop leaves the input out and says so with the take. stop if left out."
    ),
    step_fields("pipelines[]"),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "pipelines[].steps", "list 2..8", "no", "A chain: every step works on what the one before it made.",
      "pipelines[].steps[]", "record", "no", "One step."
    ),
    step_fields("pipelines[].steps[]", needed = "yes"),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "sweeps", "list", "no", "Families of pipelines that differ in one setting, or in all combinations of several.",
      "sweeps[]", "record", "no", "One family.",
      "sweeps[].of", "text", "yes", "The pipeline that is varied.",
      "sweeps[].vary", "text", "no", "What is varied: hold, checkpoint, or the name of a setting.",
      "sweeps[].over", "list", "no", "The values.",
      "sweeps[].over[]", "number or text", "no", "One value.",
      "sweeps[].grid", "map", "no", "Several at once: the values of each by its name.",
      "sweeps[].grid.*", "list", "no", "The values of one.",
      "sweeps[].grid.*[]", "number or text", "no", "One value.",
      "calibrations", "map", "no", "What `sprenn calibrate` measured of engines, by their names: hold is then the share of structure that is kept.",
      "calibrations.*", "record", "no", "One engine's curve.",
      "calibrations.*.hold", "list 2..64", "yes", "Values of hold, rising.",
      "calibrations.*.hold[]", "number 0..1", "no", "One of them.",
      "calibrations.*.knob", "list 2..64", "yes", "The engine's own values there.",
      "calibrations.*.knob[]", "number", "no", "One of them.",
      "calibrations.*.version", "text", "no", "The engine's version when it was measured.",
      "calibrations.*.checkpoint", "text", "no", "The checkpoint that was measured.",
      "calibrations.*.measured", "text", "no", "The day on which it was measured.",
      "controls", "list", "no", "Extra takes that show what each input really does.",
      "controls[]", choice_of(control_kinds), "no", "One kind of control.",
      "control_sample", "record", "no", "What controls are made of; 3 cases of every job and the first seed if left out.",
      "control_sample.cases", "integer 1..1000", "no", "How many cases of every job, spread over the suite.",
      "control_sample.seeds", "integer 1..1000", "no", "How many seeds, from the first on."
    )
  )
}

about_fields <- function(place) {
  rows <- tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "version", "text", "no", "Its version. Takes of one are never passed off as those of another.",
    "checkpoints", "map", "no", "Its checkpoints by name; one named plain if left out.",
    "checkpoints.*", "record", "no", "One checkpoint.",
    "checkpoints.*.sizes", "list", "no", "The sizes that it handles well.",
    "checkpoints.*.sizes[]", "size", "no", "One of them, [width, height].",
    "checkpoints.*.multiple_of", "integer 1..1024", "no", "What width and height must be multiples of.",
    "hold", "record", "no", "Its own knob; without one it has none.",
    "hold.at_0", "number", "yes", "The value at which it lets the reference go.",
    "hold.at_1", "number", "yes", "The value at which it keeps it.",
    "settings", "map", "no", "The other settings that it takes, by name.",
    "settings.*", "record", "no", "One setting: a range or words.",
    "settings.*.from", "number", "no", "Its lowest value.",
    "settings.*.to", "number", "no", "Its highest value.",
    "settings.*.words", "list", "no", "The words to choose from.",
    "settings.*.words[]", "text", "no", "One of them.",
    "settings.*.default", "number or text", "no", "What it takes if nothing is said.",
    "takes", "list", "no", "What it takes beside a prompt and one reference.",
    "takes[]", choice_of(input_kinds()), "no", "One kind of input.",
    "add_ons", "list", "no", "The add-ons that it has.",
    "add_ons[]", "text", "no", "One of them.",
    "emphasis", "text", "no", "How it is told that a phrase counts more: weights, none, or a pattern with {say} and {weight}; none if left out.",
    "repeatable", "flag", "no", "Whether the same seed gives the same picture; true if left out.",
    "at_once", "integer 1..256", "no", "How many calls it takes at a time; 1 if left out.",
    "price", "number 0..100000", "no", "What a picture costs; 0 if left out.",
    "seconds", "number 0..100000", "no", "How long a picture takes, for planning."
  )
  rows$place <- paste0(place, ".", rows$place)
  tensors <- tibble::tibble(
    place = paste0("engines.*.tensors.", names(tensor_words)), type = "text", needed = "no",
    doc = paste0("The tensor ", ifelse(names(tensor_words) %in% c("picture"), "of ", "for "), unname(tensor_words), "; ", names(tensor_words), " if left out.")
  )
  rbind(rows, tensors)
}

# What an inference server may be sent and may send back.
tensor_words <- c(
  prompt = "the prompt as one text", negative = "what is not wanted, as one text", reference = "the reference", hold = "hold, on the engine's own knob",
  seed = "the seed", checkpoint = "the checkpoint's name", mask = "the mask, white may change", look = "the first picture of the look",
  edges = "an edges guide", soft_edges = "a soft_edges guide", areas = "an areas guide", depth = "a depth guide",
  width = "the width", height = "the height", picture = "the picture made"
)

step_fields <- function(place, needed = "no") {
  rows <- tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "engine", "text", needed, "The name of its engine.",
    "checkpoint", "text", "no", "The engine's checkpoint; may be left out where it has only one.",
    "hold", "number 0..1", "no", "How firmly the reference is held: 0 lets go, 1 keeps.",
    "settings", "map", "no", "Other settings of the engine by name.",
    "settings.*", "number or text", "no", "A setting's value.",
    "add_ons", "map", "no", "Small learned extras by name.",
    "add_ons.*", "number -2..2", "no", "The weight of one."
  )
  rows$place <- paste0(place, ".", rows$place)
  rows
}

brief_fields <- function() {
  rows <- rbind(
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "brief", "text", "yes", "What the choice is for, in words.",
      "job", choice_of(jobs), "no", "The job it speaks for; all cases if left out.",
      "measures", "path", "no", "An R file with measures of your own; its last value is a measure_function(), or a list of them."
    ),
    judge_fields(),
    purpose_fields(""),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "purposes", "record", "no", "A purpose for each of several jobs, in place of one for all."
    ),
    do.call(rbind, lapply(jobs, function(job) {
      rbind(
        tibble::tibble(place = paste0("purposes.", job), type = "record", needed = "no", doc = paste0("What counts in `", job, "`.")),
        purpose_fields(paste0("purposes.", job, "."), needed = "yes")
      )
    })),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "limits", "record", "no", "What a run may use without `--yes`.",
      "limits.takes", "integer 0..100000000", "no", "How many takes; 5000 if left out.",
      "limits.cost", "number 0..1000000000", "no", "How much money; 50 if left out.",
      "limits.hours", "number 0..100000", "no", "How long; 24 if left out.",
      "limits.gigabytes", "number 0..1000000", "no", "How much disk; 20 if left out.",
      "confidence", "number 0.5..0.999", "no", "How sure a decision has to be; 0.9 if left out.",
      "close_enough", "number 0..0.5", "no", "By how much of a take's worth a pipeline may miss the best and still do; 0 if left out.",
      "prefer", choice_of(preferences), "no", "Of the pipelines that are close enough, which one: the better, the cheaper or the faster per keeper; the better if left out.",
      "draws", "integer 200..100000", "no", "How often the truth is drawn; 2000 if left out.",
      "seed", "integer 0..2147483647", "no", "The seed of these draws; 1 if left out."
    )
  )
  rows
}

# Outside models that say what is in a picture.
judge_fields <- function() {
  rows <- tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "", "record", "no", "One judge. Its name is what its evidence goes by.",
    ".kind", choice_of(judge_kinds), "yes", "What it does: answering says how probable a statement is, embedding gives vectors of pictures and texts, vectors are such vectors from files, pose finds figures, depth says what is near.",
    ".call", "text", "no", "package::function that returns the judge().",
    ".file", "path", "no", "An R file whose last value is the judge(). It is run when the trial is read.",
    ".address", "address", "no", "Where its server is, which speaks the Open Inference Protocol. Nothing else is ever contacted.",
    ".model", "text", "no", "With an address: the model's name.",
    ".text_model", "text", "no", "embedding: the model for texts, if it is another one.",
    ".key", "variable", "no", "The environment variable that holds its key.",
    ".key_header", "text", "no", "The header that carries the key; if left out it is sent as Authorization: Bearer.",
    ".tensors", "record", "no", "Which of the model's tensors is which; those that are called as here need not be given.",
    ".tensors.picture", "text", "no", "The pictures given.",
    ".tensors.statement", "text", "no", "The statements given.",
    ".tensors.probability", "text", "no", "answering: the probabilities put out, pictures x statements.",
    ".tensors.vector", "text", "no", "embedding: the vectors put out.",
    ".tensors.figures", "text", "no", "pose: the figures put out, pictures x figures x 17 joints x 3.",
    ".tensors.depth", "text", "no", "depth: the maps put out, pictures x rows x columns, larger where nearer.",
    ".binary", "flag", "no", "Whether pictures travel as bytes behind the JSON; true if left out.",
    ".ask", "text", "no", "How a phrase is put to it, with {say} for the phrase; {say} alone if left out.",
    ".deny", "text", "no", "answering: how its opposite is put; not the case: {say} if left out.",
    ".edge", "integer 32..2048", "no", "The long edge at which it is shown pictures; 384 if left out.",
    ".batch", "integer 1..256", "no", "How many pictures it is shown at a time; 8 if left out.",
    ".at_once", "integer 1..64", "no", "How many calls to make at a time; 2 if left out.",
    ".seconds", "number 0.1..86400", "no", "How long one call may take; 60 if left out.",
    ".pictures", "path", "no", "vectors: those of pictures (.npy, .csv or .parquet), named by SHA-256 or file name.",
    ".texts", "path", "no", "vectors: those of texts, named by the text."
  )
  rows$place <- paste0("judges.*", rows$place)
  rbind(tibble::tibble(place = "judges", type = "map", needed = "no", doc = "Outside models that say what is in a picture, by name."), rows)
}

purpose_fields <- function(place, needed = "no") {
  rows <- rbind(
    tibble::tibble(place = "weights", type = "record", needed = needed, doc = "How much each axis counts; they are divided by their sum."),
    tibble::tibble(
      place = paste0("weights.", axes), type = "number 0..100", needed = "no",
      doc = paste0("The weight of ", axes, "; 0 if left out.")
    ),
    tibble::tibble(place = "floors", type = "record", needed = "no", doc = "What a take must reach on an axis to be usable."),
    tibble::tibble(place = paste0("floors.", axes), type = "number 0..1", needed = "no", doc = paste0("The floor of ", axes, ".")),
    tibble::tribble(
      ~place, ~type, ~needed, ~doc,
      "structure_from", "map", "no", "The measures that make up structure, by their weights; the stated weighting of `sprenn measure` if left out.",
      "structure_from.*", "number 0..100", "no", "One measure's weight.",
      "style", "choice reach the look|stay or record", "no", "What style should do; reach the look if left out.",
      "style.change", "range", "yes", "The style change wanted, [from, to], where 1 is as far as two looks are apart."
    )
  )
  rows$place <- paste0(place, rows$place)
  rows
}

workers_fields <- function() {
  tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "here", "integer 0..256", "no", "How many processes to start on this machine; one a core if left out.",
    "listen", "endpoint", "no", "Where the others dial in: an address of this machine that they reach, over TLS. Its host name if left out, and any free port. 127.0.0.1 has the hosts come through their SSH connections.",
    "hosts", "list", "no", "Machines to start processes on, over SSH with keys that are in place.",
    "hosts[]", "record", "no", "One machine.",
    "hosts[].ssh", "host", "yes", "How SSH reaches it.",
    "hosts[].processes", "integer 1..256", "no", "How many processes to start there; 1 if left out.",
    "hosts[].rscript", "text", "no", "Its Rscript; Rscript if left out.",
    "cluster", "record", "no", "A cluster whose scheduler starts processes.",
    "cluster.command", "choice sbatch|qsub|bsub", "yes", "How a job is handed in: sbatch for Slurm, qsub for SGE, Torque and PBS, bsub for LSF.",
    "cluster.processes", "integer 1..10000", "no", "How many jobs to hand in, one process each; 1 if left out.",
    "cluster.options", "text", "no", "The scheduler's own lines, such as #SBATCH --mem=4G, and shell commands to run before.",
    "cluster.rscript", "text", "no", "The cluster's Rscript; Rscript if left out."
  )
}
