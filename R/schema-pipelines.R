# The fields of a pipeline of one step, and of each step of a chain.

step_fields <- function(place, needed = "no") {
  rows <- rbind(
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "engine",
      "text",
      needed,
      "The name of its engine.",
      "checkpoint",
      "text",
      "no",
      "The engine's checkpoint; may be left out where it has only one.",
      "hold",
      "number 0..1",
      "no",
      "How firmly the reference is held: 0 lets go, 1 keeps.",
      "settings",
      "map",
      "no",
      "Other settings of the engine by name.",
      "settings.*",
      "number or text",
      "no",
      "A setting's value.",
      "add_ons",
      "map",
      "no",
      "Small learned extras by name.",
      "add_ons.*",
      "number -2..2",
      "no",
      "The weight of one."
    ),
    steering_fields(),
    wording_fields(),
    mask_use_fields()
  )
  rows$place <- paste0(place, ".", rows$place)
  rows
}

# Guides, look and reference.
steering_fields <- function() {
  guide <- function(kind) {
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      paste0("guides.", kind),
      "number 0..2 or record or choice none",
      "no",
      if (kind %in% computed_guides) {
        "Computed from the reference where a case has none of its own. A number is the weight."
      } else {
        "For cases that have one. A number is the weight."
      },
      paste0("guides.", kind, ".weight"),
      "number 0..2",
      "no",
      "Its weight; the case's own, or 1, if left out. 0 leaves the guide out.",
      paste0("guides.", kind, ".release"),
      "number 0..1",
      "no",
      "The share of the process after which it lets go; the case's own, or 1, if left out."
    )
  }

  rbind(
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "guides",
      "record",
      "no",
      "Guides that it adds to those of a case, gives another weight, or leaves out (none).",
      "guides.others",
      "choice keep|none",
      "no",
      "Whether guides of a case that are not named here are kept; keep if left out.",
      "guides.kind",
      choice_of(c(guide_kinds, "none")),
      "no",
      "One kind by its name, to hold kinds against each other in a sweep.",
      "guides.weight",
      "number 0..2",
      "no",
      "The weight of that kind.",
      "guides.release",
      "number 0..1",
      "no",
      "The share of the process after which that kind lets go."
    ),
    do.call(rbind, lapply(guide_kinds, guide)),
    table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "look",
      "number 0..2 or record or choice none",
      "no",
      "What becomes of a case's look. A number is the weight.",
      "look.weight",
      "number 0..2",
      "no",
      "How strongly it is wanted; the case's own weight if left out.",
      "look.from",
      choice_of(look_sources),
      "no",
      paste0(
        "suite is the case's look, reference is the reference in its place (its manner without ",
        "its layout), both is both, none is no look; suite if left out."
      ),
      "reference",
      "number 0..4 or record or choice none",
      "no",
      "What becomes of a case's reference. A number is the weight; none is text alone.",
      "reference.weight",
      "number 0..4",
      "no",
      "How much the first reference counts; the case's own weight if left out.",
      "reference.weights",
      "list 2..8",
      "no",
      "The weights of several references, in their order.",
      "reference.weights[]",
      "number 0..4",
      "no",
      "One of them.",
      "reference.from",
      choice_of(reference_sources),
      "no",
      paste0(
        "case is the case's own, before is what the step before made, both is that followed by ",
        "the case's first reference, none is text alone; case for a first step, before for a ",
        "later one, if left out."
      ),
      "size",
      "size",
      "no",
      paste0(
        "The size that it works at: [width, height], or one number for the long edge; what suits ",
        "the checkpoint if left out."
      ),
      "enlarge",
      paste0("integer 1..", most_enlarged),
      "no",
      paste0(
        "How many times the size that it works at it delivers; 1 if left out. The picture is kept ",
        "at that size, and compared in the frame like any other."
      )
    )
  )
}

wording_fields <- function() {
  table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    "wording",
    "record",
    "no",
    "What is said around a case's prompt. Takes are judged by the prompt itself.",
    "wording.before",
    "text",
    "no",
    "Said before the prompt.",
    "wording.after",
    "text",
    "no",
    "Said after the prompt.",
    "wording.prompt",
    "choice case|none|caption|both",
    "no",
    paste0(
      "case is the case's prompt, none leaves it out, caption has an engine draft one from the ",
      "reference in its place, both adds that to it; case if left out."
    ),
    "wording.drafted_by",
    "text",
    "no",
    "caption, both: the name of the engine that drafts it, one that can caption.",
    "wording.emphasis",
    "number 0..4",
    "no",
    "What the weights of the case's phrases are multiplied by; 1 if left out.",
    "wording.negative",
    "text or list",
    "no",
    "Unwanted things besides those of the case.",
    "wording.negative[]",
    "text",
    "no",
    "One unwanted thing.",
    "wording.unwanted",
    "choice case|none",
    "no",
    "none leaves the unwanted things of the case out; case if left out.",
    "phrases",
    "map",
    "no",
    "Single phrases of a case's prompt by their place: 1 is the first.",
    "phrases.*",
    "number 0..4 or record",
    "no",
    "One phrase. A number is the weight.",
    "phrases.*.weight",
    "number 0..4",
    "no",
    "Its emphasis, in place of the case's."
  )
}

mask_use_fields <- function() {
  table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    "mask",
    "record or choice none",
    "no",
    "How a case's mask is used; none is without it.",
    "mask.feather",
    "integer 0..256",
    "no",
    "The width of its soft edge, in pixels of the frame; the case's own if left out.",
    "mask.padding",
    "integer 0..2048",
    "no",
    "How much of its surroundings the engine is given, in pixels of the frame.",
    "mask.fill",
    paste(choice_of(mask_fills), "or paint"),
    "no",
    paste0(
      "What the engine is given inside the mask: original, the surroundings blurred into it, ",
      "noise, or a colour; original if left out."
    ),
    "mask.show",
    choice_of(mask_views),
    "no",
    paste0(
      "whole, the whole picture; part, only the masked part with its padding (a quarter of its ",
      "longer edge if none is said), enlarged to the working size and put back afterwards; whole ",
      "if left out."
    )
  )
}

look_sources <- c("suite", "reference", "both", "none")
reference_sources <- c("case", "before", "both", "none")
# The most that a step may enlarge.
most_enlarged <- 4
mask_views <- c("whole", "part")
mask_fills <- c("original", "surroundings", "noise")
