# What the stand-in engines make of portraits, whose faces are where cards have them
# (standin-portrait.R). Real engines have such habits too: one face for everybody, a smile that
# nobody asked for, or none, and a title under every picture.

# The habits of a stand-in: `house`, how far it gives everybody its own face (0 not at all, 1
# altogether); `smiles`, when its people smile ("asked", "always" or "never"); `letters`, whether it
# writes under the picture.
card_habits <- function(house = 0, smiles = "asked", letters = FALSE) {
  list(house = house, smiles = smiles, letters = letters)
}

# How broad a smile is painted.
card_smile <- 1.2

# From this openness to the prompt on, a smile is painted where one is asked for.
open_to_smiles <- 0.5

# What becomes of the face of a portrait; other pictures stay as they are.
paint_card_face <- function(picture, prompt, cards, open_to_prompt) {
  if (!prompt$portrait) {
    return(picture)
  }

  asked <- prompt$smile && open_to_prompt > open_to_smiles
  smiles <- switch(cards$smiles,
    asked = asked,
    always = TRUE,
    never = FALSE
  )
  smile <- if (smiles) card_smile else 0
  person <- card_people()$house
  on <- face_plan(person, dim(picture)[2], dim(picture)[1])
  person$skin <- skin_in(picture, on)
  if (cards$house > 0) {
    # Its own face, below the hair that is there.
    cover <- on$face * soft_step(0.55 - on$y, 0.05)
    return(draw_mix(picture, paint_face(on, person, smile), cards$house * cover))
  }

  if (smiles) paint_smile(picture, on, person, smile) else picture
}

write_on_card <- function(picture, prompt, cards) {
  if (prompt$portrait && cards$letters) {
    add_lettering(picture, size = 2.2 * dim(picture)[2] / 384)
  } else {
    picture
  }
}

# The colour of both cheeks.
skin_in <- function(picture, on) {
  cheeks <- hill(abs(on$x) - 0.33, on$y + 0.12, 0.08, 0.08) > 0.5
  vapply(1:3, function(channel) mean(picture[, , channel][cheeks]), 0)
}

# A smile in the place of the mouth that is there: skin over it, a mouth as broad as most, and
# cheeks that it lifts.
paint_smile <- function(picture, on, person, smile) {
  person$mouth <- 0.3
  person$mouth_at <- -0.5
  mouth <- clamp(1.5 * hill(on$x, on$y - person$mouth_at, 0.36, 0.12))
  picture <- lay_colour(picture, on, 0.92 * person$skin, mouth)
  picture <- paint_mouth(picture, on, person, smile)
  beside <- abs(on$x)
  lifted <- hill(beside - 0.42, on$y + 0.1, 0.13, 0.1) - hill(beside - 0.4, on$y + 0.26, 0.16, 0.07)
  clamp(picture * c(1 + 0.16 * lifted))
}
