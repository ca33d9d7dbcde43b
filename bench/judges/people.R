# People who were not drawn for the demo: their measures are at random, within what heads have. The
# caller defines core().

invented_person <- function(seed) {
  core("with_drawing_seed")(seed, {
    between <- function(low, high) stats::runif(1, low, high)
    colour <- function(...) drop(grDevices::col2rgb(sample(c(...), 1))) / 255
    list(
      wide = between(0.66, 0.8), jaw = between(0.35, 0.95), chin = between(-0.04, 0.05),
      skin = colour("#dcb096", "#d3a084", "#b98263", "#9c6a4c", "#6b452f"),
      eyes = between(0.28, 0.37), eye_size = between(0.13, 0.17),
      eye_height = between(0.06, 0.15), iris = colour("#2f5a7a", "#4f6b3a", "#4a3320"),
      brow = between(0.03, 0.065), brow_tilt = between(-0.06, 0.12), brow_up = between(0.17, 0.24),
      nose = between(0.3, 0.44), nose_wide = between(0.09, 0.17), mouth = between(0.26, 0.36),
      mouth_at = between(-0.54, -0.46), lips = between(0.06, 0.095),
      hair = colour("#8d8a86", "#231a16", "#7a3a1e", "#c9ad6e", "#5a3a22"),
      hairline = between(0.5, 0.7), long = stats::runif(1) < 0.5, beard = stats::runif(1) < 0.25,
      age = stats::runif(1), cloth = colour("#33506b", "#7a2f38", "#56603a", "#b7a98f")
    )
  })
}
