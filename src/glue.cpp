// The only place where R meets the core: shapes are checked in R, before.
#include <Rcpp.h>

#include <algorithm>
#include <cmath>

#include "core/bootstrap.h"
#include "core/colour.h"
#include "core/flaws.h"
#include "core/guides.h"
#include "core/leaves.h"
#include "core/orientation.h"
#include "core/style.h"

namespace {

using sprenn::Picture;
using sprenn::Plane;

// R keeps a picture as rows x columns x channels with rows running fastest.
Picture picture_from(const Rcpp::NumericVector& pixels) {
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

void write_plane(const Plane& plane, double* to) {
  for (int x = 0; x < plane.width; ++x)
    for (int y = 0; y < plane.height; ++y) *to++ = plane.at(x, y);
}

Rcpp::NumericVector pixels_from(const Picture& picture) {
  const R_xlen_t size = static_cast<R_xlen_t>(picture.channel[0].size());
  Rcpp::NumericVector out(3 * size);
  for (int c = 0; c < 3; ++c) write_plane(picture.channel[c], out.begin() + c * size);
  out.attr("dim") = Rcpp::IntegerVector::create(picture.height(), picture.width(), 3);
  return out;
}

Picture oklab_at_own_size(const Rcpp::NumericVector& srgb) {
  const Picture picture = picture_from(srgb);
  return sprenn::oklab_from_srgb(picture, picture.width(), picture.height());
}

Rcpp::NumericVector bars_from(const sprenn::Bars& bars) {
  return Rcpp::NumericVector::create(Rcpp::_["top"] = bars.top, Rcpp::_["bottom"] = bars.bottom,
                                     Rcpp::_["left"] = bars.left, Rcpp::_["right"] = bars.right);
}

Rcpp::NumericMatrix matrix_from(const Plane& plane) {
  Rcpp::NumericMatrix out(plane.height, plane.width);
  write_plane(plane, out.begin());
  return out;
}

}  // namespace

// [[Rcpp::export]]
Rcpp::NumericVector core_oklab(Rcpp::NumericVector srgb, int width, int height) {
  return pixels_from(sprenn::oklab_from_srgb(picture_from(srgb), width, height));
}

// [[Rcpp::export]]
Rcpp::NumericVector core_resize(Rcpp::NumericVector srgb, int width, int height) {
  return pixels_from(sprenn::resize_srgb(picture_from(srgb), width, height));
}

// [[Rcpp::export]]
Rcpp::NumericVector core_resize_mask(Rcpp::NumericVector mask, int width, int height) {
  return pixels_from(sprenn::resize(picture_from(mask), width, height));
}

// Everything that is measured of a picture by itself, from sRGB pixels brought
// to the given size.
// [[Rcpp::export]]
Rcpp::List core_view(Rcpp::NumericVector srgb, int width, int height) {
  const Picture oklab = sprenn::oklab_from_srgb(picture_from(srgb), width, height);
  Rcpp::List orientation;
  for (const sprenn::Field& field : sprenn::orientation_fields(oklab))
    orientation.push_back(Rcpp::List::create(Rcpp::_["cosine"] = matrix_from(field.cosine),
                                             Rcpp::_["sine"] = matrix_from(field.sine)));
  Rcpp::NumericVector style = Rcpp::wrap(sprenn::style_vector(oklab));
  style.names() = Rcpp::wrap(sprenn::style_names());
  return Rcpp::List::create(
      Rcpp::_["oklab"] = pixels_from(oklab), Rcpp::_["coarse"] = pixels_from(sprenn::coarse(oklab)),
      Rcpp::_["orientation"] = orientation, Rcpp::_["style"] = style,
      Rcpp::_["bars"] = bars_from(sprenn::find_bars(oklab)),
      Rcpp::_["spread"] = sprenn::colour_spread(oklab));
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_thin_edges(Rcpp::NumericVector srgb) {
  return matrix_from(sprenn::thin_edges(oklab_at_own_size(srgb)));
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_soft_edges(Rcpp::NumericVector srgb) {
  return matrix_from(sprenn::soft_edges(oklab_at_own_size(srgb)));
}

// [[Rcpp::export]]
Rcpp::NumericVector core_areas(Rcpp::NumericVector srgb, int colours, double smallest) {
  const auto areas = sprenn::find_areas(oklab_at_own_size(srgb), colours, smallest);
  return pixels_from(sprenn::srgb_from_oklab(sprenn::paint_areas(areas)));
}

// What warnings about a reference look at: its bars, and the sizes of its
// regions as shares of the picture.
// [[Rcpp::export]]
Rcpp::List core_inspect(Rcpp::NumericVector srgb, int colours) {
  const Picture oklab = oklab_at_own_size(srgb);
  const auto areas = sprenn::find_areas(oklab, colours, 0.0);
  Rcpp::NumericVector sizes(areas.size.begin(), areas.size.end());
  return Rcpp::List::create(Rcpp::_["bars"] = bars_from(sprenn::find_bars(oklab)),
                            Rcpp::_["regions"] = sizes / static_cast<double>(areas.label.size()));
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_blur(Rcpp::NumericMatrix values, double sigma) {
  Plane plane(values.ncol(), values.nrow());
  for (int x = 0; x < plane.width; ++x)
    for (int y = 0; y < plane.height; ++y) plane.at(x, y) = static_cast<float>(values(y, x));
  return matrix_from(sprenn::blur(plane, static_cast<float>(sigma)));
}

// Values from 0 to 1 as 16 bits each, for hashing.
// [[Rcpp::export]]
Rcpp::RawVector core_pack(Rcpp::NumericVector values) {
  Rcpp::RawVector out(2 * values.size());
  for (R_xlen_t i = 0; i < values.size(); ++i) {
    const double clamped = std::min(1.0, std::max(0.0, values[i]));
    const auto packed = static_cast<unsigned>(clamped * 65535.0 + 0.5);
    out[2 * i] = static_cast<Rbyte>(packed >> 8);
    out[2 * i + 1] = static_cast<Rbyte>(packed & 255u);
  }
  return out;
}

// The share of pixels whose mean channel is above a value.
// [[Rcpp::export]]
double core_share_above(Rcpp::NumericVector pixels, double value) {
  const R_xlen_t n = pixels.size() / 3;
  double count = 0.0;
  for (R_xlen_t i = 0; i < n; ++i)
    count += (pixels[i] + pixels[i + n] + pixels[i + 2 * n]) / 3.0 > value ? 1.0 : 0.0;
  return n > 0 ? count / static_cast<double>(n) : 0.0;
}

// Weighted cosine of two fields of one size; without a weight all cells count
// alike. A field without any contour agrees with nothing.
// [[Rcpp::export]]
double core_field_cosine(Rcpp::NumericVector cosine_a, Rcpp::NumericVector sine_a,
                         Rcpp::NumericVector cosine_b, Rcpp::NumericVector sine_b,
                         Rcpp::Nullable<Rcpp::NumericVector> weight) {
  double dot = 0.0, norm_a = 0.0, norm_b = 0.0;
  const double* w = nullptr;
  Rcpp::NumericVector kept;
  if (weight.isNotNull()) {
    kept = Rcpp::NumericVector(weight);
    w = kept.begin();
  }
  for (R_xlen_t i = 0; i < cosine_a.size(); ++i) {
    const double by = w ? w[i] : 1.0;
    dot += by * (cosine_a[i] * cosine_b[i] + sine_a[i] * sine_b[i]);
    norm_a += by * (cosine_a[i] * cosine_a[i] + sine_a[i] * sine_a[i]);
    norm_b += by * (cosine_b[i] * cosine_b[i] + sine_b[i] * sine_b[i]);
  }
  const double norm = std::sqrt(norm_a * norm_b);
  return norm > 0.0 ? dot / norm : 0.0;
}

// [[Rcpp::export]]
Rcpp::NumericVector core_dead_leaves(int width, int height, double seed) {
  return pixels_from(sprenn::dead_leaves(width, height, static_cast<std::uint64_t>(seed)));
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_bootstrap(Rcpp::NumericMatrix scores, Rcpp::IntegerVector owner,
                                   int n_cases, int draws, double seed) {
  const auto means = sprenn::paired_bootstrap(
      Rcpp::as<std::vector<double>>(scores), scores.ncol(), Rcpp::as<std::vector<int>>(owner),
      n_cases, draws, static_cast<std::uint64_t>(seed));
  // The core returns draw after draw, and R fills matrices column by column.
  return Rcpp::NumericMatrix(scores.ncol(), draws, means.begin());
}
