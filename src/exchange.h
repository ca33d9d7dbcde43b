// What R holds as arrays and the core as planes, there and back.
#pragma once
#include <Rcpp.h>

#include <algorithm>

#include "core/edges.h"
#include "core/flaws.h"
#include "core/plane.h"

using sprenn::Picture;
using sprenn::Plane;

// R keeps a picture as rows x columns x channels with rows running fastest.
inline Rcpp::IntegerVector picture_dim(const Rcpp::NumericVector& pixels) {
  const Rcpp::RObject given = pixels.attr("dim");
  const Rcpp::IntegerVector dim =
      given.isNULL() ? Rcpp::IntegerVector(1) : Rcpp::IntegerVector(given);
  if (dim.size() != 3 || dim[2] < 3 || dim[0] < 1 || dim[1] < 1)
    Rcpp::stop("a picture is rows x columns x 3");
  return dim;
}

inline Picture picture_from(const Rcpp::NumericVector& pixels) {
  const Rcpp::IntegerVector dim = picture_dim(pixels);
  Picture picture;
  const R_xlen_t size = static_cast<R_xlen_t>(dim[0]) * dim[1];
  for (int c = 0; c < 3; ++c)
    picture.channel[c] = sprenn::from_columns(pixels.begin() + c * size, dim[1], dim[0]);
  return picture;
}

// How many bytes a pixel has, of interleaved bytes: three or one.
inline int channels_of(const Rcpp::RawVector& bytes, int width, int height) {
  const R_xlen_t pixels = static_cast<R_xlen_t>(width) * height;
  const R_xlen_t channels = pixels > 0 ? bytes.size() / pixels : 0;
  if (bytes.size() != pixels * channels || (channels != 1 && channels != 3))
    Rcpp::stop("another amount of pixels than stated");
  return static_cast<int>(channels);
}

inline Rcpp::NumericVector pixels_from(const Picture& picture) {
  const R_xlen_t size = static_cast<R_xlen_t>(picture.channel[0].size());
  Rcpp::NumericVector out = Rcpp::no_init(3 * size);
  for (int c = 0; c < 3; ++c)
    sprenn::to_columns(picture.channel[c], out.begin() + c * size);
  out.attr("dim") = Rcpp::IntegerVector::create(picture.height(), picture.width(), 3);
  return out;
}

inline Plane plane_from(const Rcpp::NumericMatrix& values) {
  if (values.nrow() < 1 || values.ncol() < 1)
    Rcpp::stop("a map has at least one row and one column");
  return sprenn::from_columns(values.begin(), values.ncol(), values.nrow());
}

inline Rcpp::NumericVector bars_from(const sprenn::Bars& bars) {
  return Rcpp::NumericVector::create(
      Rcpp::_["top"] = bars.top.depth, Rcpp::_["bottom"] = bars.bottom.depth,
      Rcpp::_["left"] = bars.left.depth, Rcpp::_["right"] = bars.right.depth);
}

// Where straight steps lie along each edge.
inline Rcpp::List steps_from(const sprenn::Bars& bars) {
  return Rcpp::List::create(Rcpp::_["top"] = bars.top.steps, Rcpp::_["bottom"] = bars.bottom.steps,
                            Rcpp::_["left"] = bars.left.steps, Rcpp::_["right"] = bars.right.steps);
}

inline Rcpp::NumericMatrix matrix_from(const Plane& plane) {
  Rcpp::NumericMatrix out = Rcpp::no_init(plane.height, plane.width);
  sprenn::to_columns(plane, out.begin());
  return out;
}

// Boxes as shares of the picture: left, top, right, bottom, weight.
inline Rcpp::NumericMatrix boxes_from(const std::vector<sprenn::Region>& regions,
                                      const Plane& plane, std::size_t most) {
  const int n = static_cast<int>(std::min(most, regions.size()));
  Rcpp::NumericMatrix out(n, 5);
  for (int i = 0; i < n; ++i) {
    const sprenn::Region& region = regions[static_cast<std::size_t>(i)];
    out(i, 0) = static_cast<double>(region.left) / plane.width;
    out(i, 1) = static_cast<double>(region.top) / plane.height;
    out(i, 2) = static_cast<double>(region.right) / plane.width;
    out(i, 3) = static_cast<double>(region.bottom) / plane.height;
    out(i, 4) = region.weight;
  }
  Rcpp::colnames(out) = Rcpp::CharacterVector::create("left", "top", "right", "bottom", "weight");
  return out;
}
