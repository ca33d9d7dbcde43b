# What measures ask of a view: its colours, and maps of it at another size.

resize_map <- function(map, size) {
  core_resize_mask(array(map, c(dim(map)[1:2], 3)), size[1], size[2])[
    , ,
    1
  ]
}

view_oklab <- function(view) core_view_oklab(view$handle)

# The picture that says where a take should be plain: its reference, but for what was
# grown, whose plainest part is the padding that was to be filled.
plainest_in <- function(take, reference, added) {
  if (is.null(reference) || !is.null(added)) take else reference
}
