# The demo's pictures, in the sizes and formats that people really have.

# Draws those of the demo's pictures that are `wanted`, by their paths.
draw_demo_pictures <- function(folder, wanted) {
  for (kind in c("references", "looks")) dir.create(file.path(folder, kind))
  references <- tibble::tribble(
    ~tile, ~file, ~width, ~height,
    "windmill", "windmill.png", 576, 384,
    "lighthouse", "lighthouse.jpg", 600, 400,
    "ferry", "ferry.webp", 640, 360,
    "tower", "tower.jpg", 384, 512,
    "kites", "kites.png", 240, 160
  )
  for (i in which(file.path("references", references$file) %in% wanted)) {
    tile <- references[i, ]
    picture <- draw_tile(tile$tile, tile$width, tile$height, 300 + i)
    write_drawing(picture, file.path(folder, "references", tile$file), depth = if (tile$tile == "windmill") 16 else 8)
  }
  draw_look <- function(manner, tile, file, seed) {
    if (!file.path("looks", file) %in% wanted) {
      return()
    }
    picture <- draw_tile(tile, 384, 256, seed)
    painted <- with_drawing_seed(seed, paint_manner(picture, manner, home_palette(manner)))
    write_drawing(painted, file.path(folder, "looks", file))
  }
  draw_look("linocut", "salt", "linocut-a.png", 41)
  draw_look("linocut", "mast", "linocut-b.png", 42)
  draw_look("gouache", "mast", "gouache-a.png", 43)
  draw_look("gouache", "salt", "gouache-b.jpg", 44)
}

write_drawing <- function(picture, path, depth = 8) {
  format <- c(png = "png", jpg = "jpeg", webp = "webp")[[sub(".*\\.", "", path)]]
  if (format == "png" && depth == 8) {
    return(png::writePNG(picture, path))
  }
  magick::image_write(magick::image_read(picture), path, format = format, depth = depth, quality = 92)
}
