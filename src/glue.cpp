// The only place where R meets the core: shapes are checked in R, before.
#include <Rcpp.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <vector>

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

// What warnings look at in a small copy: its bars, and the sizes of its regions
// as shares of the picture.
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

// Values from 0 to 1 (rows x columns x 3) for hashing, row by row: a byte each
// where all of them are whole 255ths, otherwise 16 bits each.
// [[Rcpp::export]]
Rcpp::RawVector core_pack(Rcpp::NumericVector values) {
  const Rcpp::IntegerVector dim = values.attr("dim");
  const std::size_t h = static_cast<std::size_t>(dim[0]), w = static_cast<std::size_t>(dim[1]);
  const double* from = values.begin();
  std::vector<std::uint16_t> packed(w * h * 3);
  unsigned other = 0;
  for (std::size_t k = 0; k < 3; ++k)
    for (std::size_t x = 0; x < w; ++x)
      for (std::size_t y = 0; y < h; ++y) {
        const float clamped = std::min(1.0f, std::max(0.0f, static_cast<float>(*from++)));
        const auto whole = static_cast<std::uint16_t>(clamped * 65535.0f + 0.5f);
        packed[(y * w + x) * 3 + k] = whole;
        other |= (whole >> 8) ^ (whole & 255u);
      }
  const bool bytes = other == 0;
  Rcpp::RawVector out(static_cast<R_xlen_t>(packed.size() * (bytes ? 1 : 2)));
  Rbyte* to = out.begin();
  for (const std::uint16_t whole : packed) {
    *to++ = static_cast<Rbyte>(whole >> 8);
    if (!bytes) *to++ = static_cast<Rbyte>(whole & 255u);
  }
  return out;
}

// Interleaved samples of 8 bits, or of 16 in the machine's own byte order, as
// values from 0 to 1: rows x columns x channels.
// [[Rcpp::export]]
Rcpp::NumericVector core_unpack(Rcpp::RawVector bytes, int width, int height, int channels, int depth) {
  const std::size_t w = static_cast<std::size_t>(width), h = static_cast<std::size_t>(height);
  const std::size_t c = static_cast<std::size_t>(channels), size = depth == 16 ? 2 : 1;
  if (static_cast<std::size_t>(bytes.size()) != w * h * c * size) Rcpp::stop("another amount of pixels than stated");
  Rcpp::NumericVector out = Rcpp::no_init(static_cast<R_xlen_t>(w * h * c));
  out.attr("dim") = Rcpp::IntegerVector::create(height, width, channels);
  const Rbyte* from = bytes.begin();
  double* to = out.begin();
  // In tiles, since rows there are columns here.
  const std::size_t tile = 32;
  for (std::size_t left = 0; left < w; left += tile)
    for (std::size_t top = 0; top < h; top += tile)
      for (std::size_t k = 0; k < c; ++k)
        for (std::size_t x = left; x < std::min(w, left + tile); ++x)
          for (std::size_t y = top; y < std::min(h, top + tile); ++y) {
            const std::size_t at = (y * w + x) * c + k;
            std::uint16_t wide = 0;
            if (size == 2) std::memcpy(&wide, from + 2 * at, 2);
            to[(k * w + x) * h + y] = size == 2 ? wide / 65535.0 : from[at] / 255.0;
          }
  return out;
}

// A small copy for a quick look (plain means over boxes), and the share of pixels
// whose mean channel is above a half: of values from 0 to `full`, rows x columns
// x 3, or of bytes, row by row and three a pixel.
template <typename Value, typename Sample>
Rcpp::List glance(const Sample& sample, Value full, int rows, int columns, int width, int height) {
  Rcpp::NumericVector small(Rcpp::Dimension(height, width, 3));
  R_xlen_t white = 0;
  for (int y = 0; y < height; ++y) {
    const int top = y * rows / height, bottom = std::max(top + 1, (y + 1) * rows / height);
    for (int x = 0; x < width; ++x) {
      const int left = x * columns / width, right = std::max(left + 1, (x + 1) * columns / width);
      Value sum[3] = {0, 0, 0};
      for (int v = top; v < bottom; ++v)
        for (int u = left; u < right; ++u) {
          Value total = 0;
          for (int k = 0; k < 3; ++k) {
            const Value value = sample(v, u, k);
            sum[k] += value;
            total += value;
          }
          white += 2 * total > 3 * full;
        }
      for (int k = 0; k < 3; ++k)
        small[static_cast<R_xlen_t>(k * width + x) * height + y] =
            static_cast<double>(sum[k]) / (static_cast<double>(full) * (right - left) * (bottom - top));
    }
  }
  return Rcpp::List::create(Rcpp::_["small"] = small, Rcpp::_["white"] = static_cast<double>(white) / (static_cast<double>(rows) * columns));
}

// [[Rcpp::export]]
Rcpp::List core_glance(Rcpp::NumericVector pixels, int width, int height) {
  const Rcpp::IntegerVector dim = pixels.attr("dim");
  const R_xlen_t rows = dim[0], columns = dim[1];
  const double* from = pixels.begin();
  return glance([=](int v, int u, int k) { return from[(k * columns + u) * rows + v]; }, 1.0, dim[0], dim[1], width, height);
}

// [[Rcpp::export]]
Rcpp::List core_glance_bytes(Rcpp::RawVector bytes, int columns, int rows, int width, int height) {
  const Rbyte* from = bytes.begin();
  const R_xlen_t across = columns;
  return glance([=](int v, int u, int k) -> int { return from[(v * across + u) * 3 + k]; }, 255, rows, columns, width, height);
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
