# Takes recorded as if a run had made them, for benches of what comes after making.
record_drawn <- function(store, take, picture, size, cost) {
  kept <- core("write_picture")(store, picture)
  core("record_made")(
    store,
    list(
      data.frame(
        take = take,
        file = kept$file,
        sha256 = kept$sha256,
        width = size[1],
        height = size[2],
        bytes = length(picture),
        seconds = 1,
        cost = cost,
        request = "{}",
        answer = "{}",
        first_call = FALSE
      )
    )
  )
}
