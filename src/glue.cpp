// Where R meets the core (views of pictures are in views.cpp): shapes are checked in
// R, before.
#include <Rcpp.h>

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <vector>

#include "core/random.h"
#include "core/colour.h"
#include "core/edges.h"
#include "core/foresight.h"
#include "core/guides.h"
#include "core/leaves.h"
#include "core/nesting.h"
#include "core/png_file.h"
#include "exchange.h"

namespace {

Picture oklab_at_own_size(const Rcpp::NumericVector& srgb) {
  const Picture picture = picture_from(srgb);
  return sprenn::oklab_from_srgb(picture, picture.width(), picture.height());
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

// `lab` has a row a colour (L, a, b in OKLab); `range` is from and to of lightness, chroma and hue.
// [[Rcpp::export]]
Rcpp::NumericVector core_membership(Rcpp::NumericMatrix lab, Rcpp::NumericVector range) {
  const sprenn::ColourRange of{range[0], range[1], range[2], range[3], range[4], range[5]};
  Rcpp::NumericVector out(lab.nrow());
  for (int i = 0; i < lab.nrow(); ++i)
    out[i] = sprenn::membership(lab(i, 0), lab(i, 1), lab(i, 2), of);
  return out;
}

// Interleaved bytes, four a pixel, without the last of each, or NULL where one of these is not
// full.
// [[Rcpp::export]]
SEXP core_without_alpha(Rcpp::RawVector bytes) {
  const R_xlen_t pixels = bytes.size() / 4;
  const Rbyte* from = bytes.begin();
  Rbyte least = 255;
  for (R_xlen_t i = 0; i < pixels; ++i)
    least = std::min(least, from[4 * i + 3]);
  if (least < 255)
    return R_NilValue;
  Rcpp::RawVector out = Rcpp::no_init(3 * pixels);
  Rbyte* to = out.begin();
  for (R_xlen_t i = 0; i < pixels; ++i)
    std::copy_n(from + 4 * i, 3, to + 3 * i);
  return out;
}

// The samples of a PNG file, grey (1 channel) or RGB (3), of that size: interleaved bytes; NULL if
// it is of another kind or damaged.
// [[Rcpp::export]]
SEXP core_read_png(Rcpp::RawVector file, int width, int height, int channels) {
  Rcpp::RawVector samples = Rcpp::no_init(static_cast<R_xlen_t>(width) * height * channels);
  const bool read = sprenn::read_png(file.begin(), static_cast<std::size_t>(file.size()), width,
                                     height, channels, samples.begin());
  return read ? static_cast<SEXP>(samples) : R_NilValue;
}

// Of interleaved bytes, three a pixel or one: the part of `window` (left, top, right, bottom in
// pixels), brought to that size.
// [[Rcpp::export]]
Rcpp::NumericVector core_resize_bytes(Rcpp::RawVector bytes, Rcpp::IntegerVector own,
                                      Rcpp::IntegerVector window, int width, int height) {
  const int channels = channels_of(bytes, own[0], own[1]);
  const int left = window[0], top = window[1], right = window[2], bottom = window[3];
  if (left < 0 || top < 0 || right <= left || bottom <= top || right > own[0] || bottom > own[1])
    Rcpp::stop("a part that is not in the picture");
  const Rbyte* from = bytes.begin();
  sprenn::ByteRows rows(right - left, channels);
  const auto read = [&](int y, float* const srgb[3], float* const linear[3]) {
    const R_xlen_t at = static_cast<R_xlen_t>(top + y) * own[0] + left;
    rows.read(from + at * channels, srgb, linear);
  };
  return pixels_from(sprenn::resize_rows(read, right - left, bottom - top, width, height));
}

// [[Rcpp::export]]
Rcpp::NumericVector core_resize_mask(Rcpp::NumericVector mask, int width, int height) {
  if (width < 1 || height < 1)
    Rcpp::stop("nothing is smaller than 1 x 1");
  Picture out = sprenn::resize(picture_from(mask), width, height);
  // A cubic swings over where a mask has an edge.
  for (Plane& plane : out.channel)
    for (float& value : plane.values)
      value = std::min(1.0f, std::max(0.0f, value));
  return pixels_from(out);
}

// The connected parts of what is above a half, the largest first: left, top, right and
// bottom as shares of the picture, and how many pixels each has.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_regions(Rcpp::NumericMatrix marked) {
  const Plane plane = plane_from(marked);
  Plane one(plane.width, plane.height);
  std::fill(one.values.begin(), one.values.end(), 1.0f);
  return boxes_from(sprenn::regions_of(plane, one), plane, plane.size());
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_thin_edges(Rcpp::NumericVector srgb) {
  const Rcpp::IntegerVector dim = picture_dim(srgb);
  return matrix_from(
      sprenn::thin_edges(sprenn::lightness_of_columns(srgb.begin(), dim[1], dim[0])));
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

// What warnings look at in a small copy: its bars, how far its colours are from their mean, and the
// sizes of its regions as shares of the picture.
// [[Rcpp::export]]
Rcpp::List core_inspect(Rcpp::NumericVector srgb, int colours) {
  const Picture oklab = oklab_at_own_size(srgb);
  const auto areas = sprenn::find_areas(oklab, colours, 0.0);
  Rcpp::NumericVector sizes(areas.size.begin(), areas.size.end());
  return Rcpp::List::create(Rcpp::_["bars"] = bars_from(sprenn::find_bars(oklab)),
                            Rcpp::_["spread"] = sprenn::colour_spread(oklab),
                            Rcpp::_["regions"] = sizes / static_cast<double>(areas.label.size()));
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_blur(Rcpp::NumericMatrix values, double sigma) {
  return matrix_from(sprenn::blur(plane_from(values), static_cast<float>(sigma)));
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
    if (!bytes)
      *to++ = static_cast<Rbyte>(whole & 255u);
  }
  return out;
}

// Interleaved samples of 8 bits, or of 16 in the machine's own byte order, as
// values from 0 to 1: rows x columns x channels.
// [[Rcpp::export]]
Rcpp::NumericVector core_unpack(Rcpp::RawVector bytes, int width, int height, int channels,
                                int depth) {
  const std::size_t w = static_cast<std::size_t>(width), h = static_cast<std::size_t>(height);
  const std::size_t c = static_cast<std::size_t>(channels), size = depth == 16 ? 2 : 1;
  if (static_cast<std::size_t>(bytes.size()) != w * h * c * size)
    Rcpp::stop("another amount of pixels than stated");
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
            if (size == 2)
              std::memcpy(&wide, from + 2 * at, 2);
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
            static_cast<double>(sum[k]) /
            (static_cast<double>(full) * (right - left) * (bottom - top));
    }
  }
  return Rcpp::List::create(
      Rcpp::_["small"] = small,
      Rcpp::_["white"] = static_cast<double>(white) / (static_cast<double>(rows) * columns));
}

// [[Rcpp::export]]
Rcpp::List core_glance(Rcpp::NumericVector pixels, int width, int height) {
  const Rcpp::IntegerVector dim = pixels.attr("dim");
  const R_xlen_t rows = dim[0], columns = dim[1];
  const double* from = pixels.begin();
  return glance([=](int v, int u, int k) { return from[(k * columns + u) * rows + v]; }, 1.0,
                dim[0], dim[1], width, height);
}

// [[Rcpp::export]]
Rcpp::List core_glance_bytes(Rcpp::RawVector bytes, int columns, int rows, int width, int height) {
  const Rbyte* from = bytes.begin();
  const R_xlen_t across = columns;
  return glance([=](int v, int u, int k) -> int { return from[(v * across + u) * 3 + k]; }, 255,
                rows, columns, width, height);
}

// Even random numbers between 0 and 1, neither of them among these.
// [[Rcpp::export]]
Rcpp::NumericVector core_uniform(int n, double seed) {
  sprenn::Random random(static_cast<std::uint64_t>(seed));
  Rcpp::NumericVector out(n);
  for (double& value : out)
    value = random.uniform() + 0x1.0p-54;
  return out;
}

// `means` has a row an outcome and a column a pipeline; `normal` a column a draw.
// [[Rcpp::export]]
Rcpp::NumericVector core_foreseen_chances(Rcpp::NumericMatrix means, Rcpp::NumericVector variance,
                                          Rcpp::List grid, Rcpp::NumericMatrix normal,
                                          Rcpp::NumericVector even, double within) {
  using Numbers = std::vector<double>;
  const sprenn::SpreadGrid spread_grid{Rcpp::as<Numbers>(grid["spreads"]),
                                       Rcpp::as<Numbers>(grid["log_prior"]),
                                       Rcpp::as<Numbers>(grid["scales"])};
  const Numbers normals(normal.begin(), normal.end());
  const Numbers evens(even.begin(), even.end());
  Rcpp::NumericVector chances(means.nrow());
  for (int i = 0; i < means.nrow(); ++i) {
    const Rcpp::NumericMatrix::Row row = means.row(i);
    const Numbers own(row.begin(), row.end());
    chances[i] = sprenn::foreseen_chance(own, variance[i], spread_grid, normals, evens, within);
  }
  return chances;
}

// [[Rcpp::export]]
Rcpp::NumericVector core_dead_leaves(int width, int height, double seed) {
  return pixels_from(sprenn::dead_leaves(width, height, static_cast<std::uint64_t>(seed)));
}

// How deep a text, as bytes, nests brackets.
// [[Rcpp::export]]
double core_nesting(Rcpp::RawVector text, bool skip_strings) {
  const std::size_t length = static_cast<std::size_t>(text.size());
  const std::size_t deepest = sprenn::deepest_nesting(RAW(text), length, skip_strings);
  return static_cast<double>(deepest);
}

// Whether texts are printable ASCII throughout, tabs and line feeds included: what most columns
// of records are, told without a look at any text twice in a row.
// [[Rcpp::export]]
bool core_all_plain(Rcpp::CharacterVector texts) {
  SEXP before = NA_STRING;
  for (R_xlen_t i = 0; i < texts.size(); ++i) {
    const SEXP text = STRING_ELT(texts, i);
    if (text == before || text == NA_STRING)
      continue;
    for (const char* at = CHAR(text); *at != '\0'; ++at) {
      const unsigned char one = static_cast<unsigned char>(*at);
      if ((one < 0x20 && one != '\t' && one != '\n') || one > 0x7e)
        return false;
    }
    before = text;
  }
  return true;
}
