# What each member of a request is most likely for, by its name, its type and what is said of it.

# What a leaf of a request can be for. `words` of its name, and for how much each counts; `type` is
# what a leaf of that kind has to be. The first that is sure enough takes a leaf.
leaf_roles <- list(
  mask = list(type = "picture", words = c(mask = 3)),
  guide = list(
    type = "picture",
    words = c(edges = 3, pose = 3, depth = 3, guide = 3, control = 3, structure = 2)
  ),
  look = list(type = "picture", words = c(style = 3, look = 3, manner = 3)),
  reference = list(
    type = "picture",
    words = c(
      image = 2, picture = 2, img = 2, photo = 2, source = 2, start = 2, init = 2, initial = 2,
      reference = 2, input = 2, base = 1, file = 1
    )
  ),
  negative = list(
    type = "text",
    words = c(
      negative = 4, unwanted = 4, avoid = 4, exclude = 4, without = 3, undesired = 4, not = 2
    )
  ),
  prompt = list(
    type = "text",
    words = c(
      prompt = 4, text = 3, wanted = 3, instruction = 3, instructions = 3, query = 2,
      description = 2, caption = 2, say = 2
    )
  ),
  seed = list(type = "whole", words = c(seed = 4)),
  count = list(
    type = "whole",
    words = c(
      n = 2, count = 3, samples = 3, batch = 2, variations = 2, quantity = 3, num = 2, number = 2,
      images = 1, outputs = 1
    )
  ),
  width = list(type = "number", words = c(width = 4, w = 3)),
  height = list(type = "number", words = c(height = 4, h = 3)),
  aspect = list(type = "text", words = c(aspect = 4, ratio = 3)),
  size = list(type = "text", words = c(size = 3, dimensions = 4, resolution = 3, canvas = 2)),
  knob = list(
    type = "number",
    words = c(
      strength = 3, closeness = 4, similarity = 4, fidelity = 4, denoise = 4, denoising = 4,
      change = 3, variation = 3, looseness = 4, hold = 3, keep = 3, preserve = 3, preservation = 3,
      influence = 3, noise = 3, freedom = 3, adherence = 3, weight = 1, amount = 1
    )
  ),
  checkpoint = list(type = "text", words = c(model = 3, checkpoint = 4, engine = 3))
)

# From so many points on a leaf is taken to be for something.
sure_enough <- 2

# Each role goes to the leaf that has most points for it; the others of that role have none.
sort_out <- function(guesses) {
  roles <- vapply(guesses, function(guess) guess$role %||% "", "")
  points <- vapply(guesses, function(guess) guess$points %||% 0, 0)
  lapply(seq_along(guesses), function(i) {
    rivals <- which(roles == roles[i])
    if (nzchar(roles[i]) && i == rivals[which.max(points[rivals])]) guesses[[i]] else list()
  })
}

# What a leaf is most likely for: `role` and `points`; NULL if nothing is likely.
role_of <- function(leaf) {
  points <- vapply(leaf_roles, points_for, 0, leaf = leaf)
  best <- which.max(points)
  if (points[best] >= sure_enough) list(role = names(leaf_roles)[best], points = points[[best]])
}

# How likely a leaf is for a role: its own name counts most, then those above it, then what is said
# of it.
points_for <- function(rule, leaf) {
  if (!leaf_can_be(leaf, rule$type)) {
    return(0)
  }

  names <- setdiff(leaf$path, "[]")
  hits <- function(text) sum(rule$words[names(rule$words) %in% name_words(text)])
  own <- hits(utils::tail(names, 1))
  is_picture <- rule$type == "picture" && leaf_type(leaf) == "picture"
  own + 0.5 * hits(utils::head(names, -1)) + 0.3 * min(3, hits(leaf$schema$description)) +
    (own > 0) * (0.5 * leaf$required + is_picture)
}

# Numbers may be whole, and pictures may be plain texts that are no choice of words.
leaf_can_be <- function(leaf, wanted) {
  type <- leaf_type(leaf)
  if (wanted == "picture" && type == "text") {
    words <- name_words(utils::tail(setdiff(leaf$path, "[]"), 1))
    return(is.null(leaf$schema$enum) && !any(words_of_facts %in% words))
  }

  type == wanted || (wanted == "number" && type == "whole")
}

# A name with one of these says something of a picture, and is none.
words_of_facts <- c("format", "type", "size", "quality", "mode", "name", "prompt", "text", "count")

leaf_type <- function(leaf) {
  schema <- leaf$schema
  type <- c(schema$type, "")[1]
  if (is_binary(schema)) {
    "picture"
  } else if (type == "integer") {
    "whole"
  } else if (type %in% c("number", "boolean")) {
    type
  } else if (type == "string" || !is.null(schema$enum)) {
    "text"
  } else {
    type
  }
}

is_binary <- function(schema) {
  (schema$format %||% "") %in% c("binary", "byte", "base64") ||
    identical(schema$contentEncoding, "base64") ||
    startsWith(schema$contentMediaType %||% "", "image/")
}

is_address_leaf <- function(leaf) {
  (leaf$schema$format %||% "") %in% c("uri", "url", "uri-reference") ||
    any(c("url", "uri", "id") %in% name_words(utils::tail(leaf$path, 1)))
}
