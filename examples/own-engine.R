# Your own service as an engine: say what it is, and translate one request.
# In lineup.yml:  mine: {kind: function, file: own-engine.R}

# Stands for the client of a service (made up here): it takes PNG bytes and a
# text, and a "freedom" from 0 to 10 where higher changes more.
paint_by_service <- function(png, text, freedom, seed) {
  if (grepl("forbidden", text)) return(list(ok = FALSE, reason = "the text was refused"))
  picture <- png::readPNG(png)
  grey <- rep((picture[, , 1] + picture[, , 2] + picture[, , 3]) / 3, 3)
  toned <- array(grey, dim(picture)) * rep(c(1, 0.9, 0.7), each = length(grey) / 3)
  list(ok = TRUE, png = png::writePNG(picture * (1 - freedom / 10) + toned * freedom / 10))
}

sprenn::engine(
  about = list(
    name = "mine", version = "2026-11",
    checkpoints = list(standard = list(multiple_of = 8)),
    hold = c(at_0 = 10, at_1 = 0), # freedom 10 lets the reference go, 0 keeps it
    price = 0.01, seconds = 1
  ),
  make = function(request) {
    answer <- paint_by_service(
      png = png::writePNG(request$reference),
      text = paste(request$prompt$say, collapse = ", "),
      freedom = request$native_hold, seed = request$seed
    )
    if (!answer$ok) sprenn::engine_failure("refused", answer$reason)
    sprenn::engine_result(answer$png, cost = 0.01, seed = request$seed)
  }
)
