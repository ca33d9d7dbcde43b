// What R holds as arrays and the core as planes, there and back.
#pragma once
#include <Rcpp.h>

#include "core/edges.h"
#include "core/flaws.h"
#include "core/plane.h"

using sprenn::Picture;
using sprenn::Plane;

// R keeps a picture as rows x columns x channels with rows running fastest.
inline Picture picture_from(const Rcpp::NumericVector& pixels) {
  const Rcpp::IntegerVector dim = pixels.attr("dim");
  const int height = dim[0], width = dim[1];
  Picture picture;
  const double* from = pixels.begin();
  for (int c = 0; c < 3; ++c) {
    Plane plane(width, height);
    for (int x = 0; x < width; ++x)
      for (int y = 0; y < height; ++y) plane.at(x, y) = static_cast<float>(*from++);
    picture.channel[c] = std::move(plane);
  }
  return picture;
}

inline void write_plane(const Plane& plane, double* to) {
  for (int x = 0; x < plane.width; ++x)
    for (int y = 0; y < plane.height; ++y) *to++ = plane.at(x, y);
}

inline Rcpp::NumericVector pixels_from(const Picture& picture) {
  const R_xlen_t size = static_cast<R_xlen_t>(picture.channel[0].size());
  Rcpp::NumericVector out(3 * size);
  for (int c = 0; c < 3; ++c) write_plane(picture.channel[c], out.begin() + c * size);
  out.attr("dim") = Rcpp::IntegerVector::create(picture.height(), picture.width(), 3);
  return out;
}

inline Plane plane_from(const Rcpp::NumericMatrix& values) {
  Plane plane(values.ncol(), values.nrow());
  for (int x = 0; x < plane.width; ++x)
    for (int y = 0; y < plane.height; ++y) plane.at(x, y) = static_cast<float>(values(y, x));
  return plane;
}

inline Rcpp::NumericVector bars_from(const sprenn::Bars& bars) {
  return Rcpp::NumericVector::create(Rcpp::_["top"] = bars.top, Rcpp::_["bottom"] = bars.bottom,
                                     Rcpp::_["left"] = bars.left, Rcpp::_["right"] = bars.right);
}

inline Rcpp::NumericMatrix matrix_from(const Plane& plane) {
  Rcpp::NumericMatrix out(plane.height, plane.width);
  write_plane(plane, out.begin());
  return out;
}

// Boxes as shares of the picture: left, top, right, bottom, weight.
inline Rcpp::NumericMatrix boxes_from(const std::vector<sprenn::Region>& regions, const Plane& plane, std::size_t most) {
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
