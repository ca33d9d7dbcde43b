# The features of a portrait's face (standin-portrait.R): each is painted over a face, in places
# that are given in halves of the face's height.

paint_skin <- function(on, person) {
  rows <- nrow(on$x)
  columns <- ncol(on$x)
  tip <- nose_tip(person)
  flush <- 0.1 * hill(abs(on$x) - 0.42, on$y + 0.15, 0.17, 0.15) +
    0.06 * hill(on$x, on$y - tip - 0.03, 0.1, 0.1) +
    0.03 * smooth_noise(rows, columns, on$half / 6)
  tint <- c(1 + 0.5 * flush, 1 - 0.6 * flush, 1 - 0.6 * flush)
  pores <- 1 + 0.035 * fractal_noise(rows, columns, on$half / 18, 3)
  clamp(plain_colour(on, person$skin) * tint * c(pores))
}

paint_brows <- function(face, on, person) {
  out <- abs(on$x) - person$eyes
  middle <- person$eye_height + person$brow_up + person$brow_tilt * out - 0.5 * out^2
  thick <- person$brow * (1 - 0.45 * pmax(0, out / 0.22))
  hairs <- 0.75 + 0.4 * smooth_noise(nrow(out), ncol(out), 2.5, 5)
  cover <- exp(-1.5 * ((on$y - middle) / thick)^2) * soft_step(0.22 - abs(out), 0.02) * hairs
  lay_colour(face, on, 0.7 * person$hair, 0.9 * cover)
}

# Lines of the mouth: `half` its width, `line` between the lips, `gap` where they part, and the
# edges of both lips, at every pixel.
mouth_lines <- function(on, person, smile) {
  half <- person$mouth * (1 + 0.42 * smile)
  out <- pmin(1, abs(on$x) / half)
  line <- person$mouth_at + 0.02 * smile + 0.17 * smile * ((on$x / half)^2 - 0.45)
  gap <- 0.12 * smile * (1 - out^2)
  bow <- 0.8 - 0.25 * cos(pi * pmin(1, 2.5 * out))
  list(
    half = half,
    line = line,
    gap = gap,
    upper = line + person$lips * (1 - out^1.6) * bow + 0.4 * gap,
    lower = line - 1.15 * person$lips * (1 - out^2) - 0.9 * gap,
    inside = abs(on$x) < half
  )
}

paint_mouth <- function(face, on, person, smile) {
  mouth <- mouth_lines(on, person, smile)
  between <- function(low, high, over) soft_step(high - on$y, over) * soft_step(on$y - low, over)
  lips <- between(mouth$lower, mouth$upper, 0.01) * mouth$inside
  face <- lay_colour(face, on, person$skin * c(0.86, 0.62, 0.62), 0.85 * lips)
  if (smile <= 0.15) {
    closed <- exp(-((on$y - mouth$line) / 0.011)^2) *
      soft_step(1.02 * mouth$half - abs(on$x), 0.012)
    return(lay_colour(face, on, 0.28 * person$skin, 0.85 * closed))
  }

  top <- mouth$line + 0.35 * mouth$gap
  open <- between(mouth$line - 0.75 * mouth$gap, top, 0.006) * mouth$inside
  face <- lay_colour(face, on, c(0.2, 0.07, 0.07), open)
  teeth <- between(mouth$line - 0.42 * mouth$gap, top, 0.006) * (abs(on$x) < 0.86 * mouth$half)
  gaps <- abs((22 * abs(on$x)) %% 1 - 0.5) > 0.44
  lay_colour(face, on, c(0.93, 0.91, 0.86), teeth * (0.9 - 0.12 * gaps))
}

paint_nostrils <- function(face, on, person) {
  cover <- hill(
    abs(on$x) - 0.55 * person$nose_wide,
    on$y - nose_tip(person) + 0.022,
    0.042,
    0.02
  )
  lay_colour(face, on, 0.25 * person$skin, 0.9 * cover)
}

# Two lines across the forehead.
paint_age <- function(face, on, person) {
  bend <- 0.03 * cos(5 * on$x)
  line <- function(height) exp(-((on$y - person$eye_height - height - bend) / 0.008)^2)
  lines <- (line(0.42) + line(0.52)) * soft_step(0.35 - abs(on$x), 0.05)
  clamp(face * (1 - 0.14 * max(0, person$age - 0.3) * c(lines)))
}

paint_beard <- function(face, on, person) {
  aside <- abs(on$x)
  mouth <- mouth_lines(on, person, 0)
  lips <- soft_step(mouth$upper - on$y, 0.01) * soft_step(on$y - mouth$lower, 0.01) * mouth$inside
  chin <- soft_step(-0.2 - 0.35 * (1 - pmin(1, aside / 0.62)) - on$y, 0.05)
  above_lip <- soft_step(nose_tip(person) - 0.06 - on$y, 0.02) *
    soft_step(on$y - person$mouth_at, 0.02) *
    soft_step(1.1 * mouth$half - aside, 0.04)
  hairs <- pmin(1.1, 0.8 + 0.35 * smooth_noise(nrow(aside), ncol(aside), 9, 2))
  lay_colour(face, on, 0.95 * person$hair, 0.9 * pmax(chin, above_lip) * (1 - lips) * hairs)
}

# Both eyes, which are lit but not shaded by the relief, with lids and lashes.
paint_eyes <- function(face, on, person, smile, lit) {
  aside <- abs(on$x)
  up <- on$y - person$eye_height
  out <- (aside - person$eyes) / person$eye_size
  width <- pmax(0, 1 - out^2)
  top <- 0.55 * (0.85 - 0.3 * smile) * person$eye_size * width^0.8
  low <- -0.42 * (1 - 0.3 * smile) * person$eye_size * width
  socket <- hill(aside - person$eyes, up, 1.3 * person$eye_size, 0.9 * person$eye_size)
  face <- clamp(face * (1 - 0.25 * c(socket)))
  open <- soft_step(top - up, 0.008) * soft_step(up - low, 0.008) * (abs(out) < 1)
  ball <- plain_colour(on, c(0.93, 0.91, 0.89)) * c(0.75 + 0.25 * soft_step(top - up - 0.03, 0.02))
  far <- sqrt((aside - person$eyes)^2 + (up - 0.008)^2) / person$eye_size
  ball <- lay_colour(ball, on, 0.45 * person$iris, soft_step(0.47 - far, 0.02))
  lower_half <- 0.6 + 0.4 * soft_step(-up, 0.03)
  ball <- lay_colour(ball, on, 1.15 * person$iris, soft_step(0.4 - far, 0.03) * lower_half)
  ball <- lay_colour(ball, on, c(0.03, 0.03, 0.03), soft_step(0.19 - far, 0.02))
  spark <- sqrt((on$x - sign(on$x) * person$eyes + 0.02)^2 + (up - 0.035)^2)
  ball <- lay_colour(ball, on, c(1, 1, 1), soft_step(0.016 - spark, 0.004))
  face <- draw_mix(face, clamp(ball * c(0.62 + 0.42 * lit$lit)), open)
  lashes <- exp(-((up - top) / 0.016)^2) * soft_step(1.03 - abs(out), 0.03)
  face <- lay_colour(face, on, c(0.08, 0.06, 0.05), 0.9 * lashes)
  crease <- exp(-((up - top - 0.045) / 0.012)^2) * soft_step(1 - abs(out), 0.05)
  bag <- exp(-((up - low + 0.05) / 0.02)^2) * soft_step(1 - abs(out), 0.05)
  clamp(face * c(1 - 0.3 * crease) * c(1 - 0.12 * bag * (0.5 + person$age)))
}
