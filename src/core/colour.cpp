#include "vectorise.h"

#include "colour.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <vector>

namespace sprenn {

namespace {

double linear_from_srgb(double v) {
  return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
}

double srgb_from_linear(double v) {
  v = std::clamp(v, 0.0, 1.0);
  return v <= 0.0031308 ? v * 12.92 : 1.055 * std::pow(v, 1.0 / 2.4) - 0.055;
}

// Most pictures have 8 bits a channel: a table makes the power a look-up, and
// 16 bits fall between its entries finely enough to interpolate.
constexpr int kSteps = 4080;

const std::array<float, kSteps + 2>& linear_table() {
  static const auto table = [] {
    std::array<float, kSteps + 2> t{};
    for (int i = 0; i < kSteps + 2; ++i)
      t[static_cast<std::size_t>(i)] =
          static_cast<float>(linear_from_srgb(std::min(1.0, static_cast<double>(i) / kSteps)));
    return t;
  }();
  return table;
}

// Places in the table, from 0 to its end, for a row's values; then what lies between entries.
SPRENN_WIDE void places_of(float* __restrict row, int* __restrict below, int n) {
  for (int i = 0; i < n; ++i) {
    const float positive = row[i] > 0.0f ? row[i] : 0.0f;
    row[i] = (positive < 1.0f ? positive : 1.0f) * static_cast<float>(kSteps);
    below[i] = static_cast<int>(row[i]);
  }
}
SPRENN_WIDE void between_entries(float* __restrict row, const int* __restrict below,
                                 const float* __restrict table, int n) {
  for (int i = 0; i < n; ++i)
    row[i] = table[below[i]] +
             (row[i] - static_cast<float>(below[i])) * (table[below[i] + 1] - table[below[i]]);
}

}  // namespace

void linear_row(float* row, int n) {
  constexpr int kAtOnce = 256;
  int below[kAtOnce];
  for (int from = 0; from < n; from += kAtOnce) {
    const int some = std::min(kAtOnce, n - from);
    places_of(row + from, below, some);
    between_entries(row + from, below, linear_table().data(), some);
  }
}

namespace {

SPRENN_WIDE void split_bytes(const std::uint8_t* __restrict in, std::uint8_t* __restrict r,
                             std::uint8_t* __restrict g, std::uint8_t* __restrict b, int n) {
  for (int i = 0; i < n; ++i) {
    r[i] = in[3 * i];
    g[i] = in[3 * i + 1];
    b[i] = in[3 * i + 2];
  }
}
SPRENN_WIDE void shares_of_bytes(float* __restrict out, const std::uint8_t* __restrict in, int n) {
  for (int i = 0; i < n; ++i)
    out[i] = static_cast<float>(in[i]) / 255.0f;
}
SPRENN_WIDE void look_up(float* __restrict out, const std::uint8_t* __restrict in,
                         const float* __restrict table, int n) {
  for (int i = 0; i < n; ++i)
    out[i] = table[in[i]];
}

}  // namespace

ByteRows::ByteRows(int width, int channels) : width_(width), channels_(channels) {
  if (channels == 3)
    for (auto& one : split_)
      one.resize(static_cast<std::size_t>(width));
  for (int i = 0; i < 256; ++i)
    light_[i] = static_cast<float>(i) / 255.0f;
  linear_row(light_, 256);
}

void ByteRows::read(const std::uint8_t* row, float* const srgb[3], float* const linear[3]) {
  if (channels_ == 3)
    split_bytes(row, split_[0].data(), split_[1].data(), split_[2].data(), width_);
  for (int c = 0; c < 3; ++c) {
    const std::uint8_t* from = channels_ == 3 ? split_[c].data() : row;
    shares_of_bytes(srgb[c], from, width_);
    look_up(linear[c], from, light_, width_);
  }
}

namespace {

Picture linear_at(const Picture& srgb, int width, int height) {
  const int w = srgb.width(), h = srgb.height();
  Picture out;
  std::vector<float> row(static_cast<std::size_t>(w));
  for (int c = 0; c < 3; ++c) {
    Shrinker shrinker(w, h, width, height);
    for (int y = 0; y < h; ++y) {
      std::copy_n(srgb.channel[c].row(y), w, row.begin());
      linear_row(row.data(), w);
      shrinker.add(y, row.data());
    }
    out.channel[c] = shrinker.finish();
  }
  return out;
}

// A first guess from the exponent, then twice Halley's step: as near as floats go.
inline float nearer_root(float y, float x) {
  const float cube = y * y * y;
  return y * ((cube + 2.0f * x) / (2.0f * cube + x));
}
inline float cube_root(float x) {
  std::int32_t bits;
  std::memcpy(&bits, &x, sizeof x);
  const std::int32_t third =
      static_cast<std::int32_t>(static_cast<float>(bits) * (1.0f / 3.0f)) + 709921077;
  float y;
  std::memcpy(&y, &third, sizeof y);
  return nearer_root(nearer_root(y, x), x);
}

// In place: linear light becomes OKLab.
SPRENN_WIDE void oklab_row(float* __restrict red, float* __restrict green, float* __restrict blue,
                           std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    // A cubic's overshoot would have no root worth having.
    const float r = red[i] > 0.0f ? red[i] : 0.0f, g = green[i] > 0.0f ? green[i] : 0.0f,
                b = blue[i] > 0.0f ? blue[i] : 0.0f;
    const float l = cube_root(0.4122214708f * r + 0.5363325363f * g + 0.0514459929f * b);
    const float m = cube_root(0.2119034982f * r + 0.6806995451f * g + 0.1073969566f * b);
    const float s = cube_root(0.0883024619f * r + 0.2817188376f * g + 0.6299787005f * b);
    red[i] = 0.2104542553f * l + 0.7936177850f * m - 0.0040720468f * s;
    green[i] = 1.9779984951f * l - 2.4285922050f * m + 0.4505937099f * s;
    blue[i] = 0.0259040371f * l + 0.7827717662f * m - 0.8086757660f * s;
  }
}

void to_oklab(Picture& linear) {
  oklab_row(linear.channel[0].values.data(), linear.channel[1].values.data(),
            linear.channel[2].values.data(), linear.channel[0].size());
}

constexpr float kCeiling = 0.995f;
constexpr float kFloor = 0.01f;

// How many of a stretch of pixels are at the ceiling and at the floor.
SPRENN_WIDE void count_clipped(const float* r, const float* g, const float* b, int from, int to,
                               int* burnt, int* crushed) {
  int high = 0, low = 0;
  for (int i = from; i < to; ++i) {
    const float most = std::max(r[i], std::max(g[i], b[i]));
    high += most >= kCeiling ? 1 : 0;
    low += most <= kFloor ? 1 : 0;
  }
  *burnt += high;
  *crushed += low;
}

void finish_spot(Spot& spot, const std::array<int, 9>& counts, double pixels) {
  for (std::size_t k = 0; k < 9; ++k) {
    spot.cells[k] = 9.0 * counts[k] / pixels;
    spot.number += counts[k] / pixels;
  }
}

SPRENN_WIDE void luma_row(float* out, const float* r, const float* g, const float* b, int n) {
  for (int i = 0; i < n; ++i)
    out[i] = 0.299f * r[i] + 0.587f * g[i] + 0.114f * b[i];
}

// In place: linear light becomes sRGB.
void to_srgb(Picture& linear) {
  for (Plane& plane : linear.channel)
    for (float& value : plane.values)
      value = static_cast<float>(srgb_from_linear(value));
}

// Room for a row of a picture in sRGB and in linear light.
class RowPair {
 public:
  explicit RowPair(int width) {
    for (std::size_t c = 0; c < 3; ++c) {
      rows_[c].resize(static_cast<std::size_t>(width));
      rows_[c + 3].resize(static_cast<std::size_t>(width));
      srgb[c] = rows_[c].data();
      linear[c] = rows_[c + 3].data();
    }
  }
  float* srgb[3];
  float* linear[3];

 private:
  std::vector<float> rows_[6];
};

}  // namespace

Picture resize_rows(const ReadRow& read, int own_width, int own_height, int width, int height) {
  RowPair row(own_width);
  Picture out;
  if (own_width == width && own_height == height) {
    for (Plane& plane : out.channel)
      plane = Plane::unset(width, height);
    for (int y = 0; y < height; ++y) {
      read(y, row.srgb, row.linear);
      for (int c = 0; c < 3; ++c)
        std::copy_n(row.srgb[c], width, out.channel[c].row(y));
    }
    return out;
  }
  Shrinker shrinker[3] = {{own_width, own_height, width, height},
                          {own_width, own_height, width, height},
                          {own_width, own_height, width, height}};
  for (int y = 0; y < own_height; ++y) {
    read(y, row.srgb, row.linear);
    for (int c = 0; c < 3; ++c)
      shrinker[c].add(y, row.linear[c]);
  }
  for (int c = 0; c < 3; ++c)
    out.channel[c] = shrinker[c].finish();
  to_srgb(out);
  return out;
}

Picture resize_srgb(const Picture& srgb, int width, int height) {
  if (srgb.width() == width && srgb.height() == height)
    return srgb;
  Picture out = linear_at(srgb, width, height);
  to_srgb(out);
  return out;
}

Picture srgb_from_oklab(const Picture& oklab) {
  Picture out = oklab;
  for (std::size_t i = 0; i < out.channel[0].size(); ++i) {
    const double L = static_cast<double>(oklab.channel[0].values[i]);
    const double a = static_cast<double>(oklab.channel[1].values[i]);
    const double b = static_cast<double>(oklab.channel[2].values[i]);
    const double l = std::pow(L + 0.3963377774 * a + 0.2158037573 * b, 3);
    const double m = std::pow(L - 0.1055613458 * a - 0.0638541728 * b, 3);
    const double s = std::pow(L - 0.0894841775 * a - 1.2914855480 * b, 3);
    out.channel[0].values[i] = static_cast<float>(
        srgb_from_linear(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s));
    out.channel[1].values[i] = static_cast<float>(
        srgb_from_linear(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s));
    out.channel[2].values[i] = static_cast<float>(
        srgb_from_linear(-0.0041960863 * l - 0.7034186147 * m + 1.7076147010 * s));
  }
  return out;
}

Plane lightness_of_columns(const double* srgb, int width, int height) {
  Plane out = Plane::unset(width, height);
  float channel[3][kTile];
  const std::ptrdiff_t size = static_cast<std::ptrdiff_t>(width) * height;
  by_tiles(width, height, [&](int left, int top, int w, int h) {
    for (int c = 0; c < 3; ++c) {
      tile_of_columns(channel[c], srgb + c * size, height, left, top, w, h);
      linear_row(channel[c], w * h);
    }
    oklab_row(channel[0], channel[1], channel[2], static_cast<std::size_t>(w * h));
    for (int y = 0; y < h; ++y)
      std::copy_n(channel[0] + y * w, w, out.row(top + y) + left);
  });
  return out;
}

Picture oklab_from_srgb(const Picture& srgb, int width, int height) {
  Picture out = linear_at(srgb, width, height);
  to_oklab(out);
  return out;
}

namespace {

// The tones of a channel, in 256 steps, of every third pixel of a row.
void count_tones(std::array<double, 256>& counts, const float* row, int n) {
  for (int x = 0; x < n; x += 3)
    counts[static_cast<std::size_t>(std::clamp(row[x], 0.0f, 1.0f) * 255.0f + 0.5f)] += 1.0;
}

double tones_in(const std::array<double, 256>& counts) {
  double total = 0.0, entropy = 0.0;
  for (const double count : counts)
    total += count;
  for (const double count : counts)
    if (count > 0.0)
      entropy -= count / total * std::log(count / total);
  return std::exp(entropy);
}

}  // namespace

namespace {

// How far beyond its range each of a colour's numbers fades out.
constexpr double kLightFades = 0.04, kChromaFades = 0.02, kHueFades = 10.0;
constexpr double kCircle = 360.0;
constexpr double kDegrees = 180.0 / 3.14159265358979323846;

double outside(double x, double from, double to) {
  return std::max(std::max(from - x, x - to), 0.0);
}

// Around the circle, from 0 to 360.
double around(double degrees) {
  const double rest = std::fmod(degrees, kCircle);
  return rest < 0.0 ? rest + kCircle : rest;
}

double outside_hue(double hue, double from, double to) {
  if (to - from >= kCircle)
    return 0.0;
  const double width = around(to - from), turned = around(hue - from);
  return turned <= width ? 0.0 : std::min(turned - width, kCircle - turned);
}

double fade(double beyond, double reach) {
  return std::clamp(1.0 - beyond / reach, 0.0, 1.0);
}

}  // namespace

double membership(double L, double a, double b, const ColourRange& range) {
  const double light = fade(outside(L, range.light_from, range.light_to), kLightFades);
  if (light == 0.0)
    return 0.0;
  const double chroma =
      fade(outside(std::sqrt(a * a + b * b), range.chroma_from, range.chroma_to), kChromaFades);
  if (chroma == 0.0)
    return 0.0;
  const double hue = around(std::atan2(b, a) * kDegrees);
  return light * chroma * fade(outside_hue(hue, range.hue_from, range.hue_to), kHueFades);
}

Intake take_in(const ReadRow& read, int own_width, int own_height, int width, int height) {
  Intake out;
  out.luma = Plane::unset(own_width, own_height);
  Shrinker shrinker[3] = {{own_width, own_height, width, height},
                          {own_width, own_height, width, height},
                          {own_width, own_height, width, height}};
  RowPair row(own_width);
  const float *red = row.srgb[0], *green = row.srgb[1], *blue = row.srgb[2];
  std::array<int, 9> burnt{}, crushed{};
  std::array<std::array<double, 256>, 3> tones{};
  for (int y = 0; y < own_height; ++y) {
    read(y, row.srgb, row.linear);
    const int band = 3 * y / own_height;
    for (int k = 0; k < 3; ++k)
      count_clipped(red, green, blue, k * own_width / 3, (k + 1) * own_width / 3,
                    &burnt[static_cast<std::size_t>(3 * band + k)],
                    &crushed[static_cast<std::size_t>(3 * band + k)]);
    if (y % 2 == 0)
      for (std::size_t c = 0; c < 3; ++c)
        count_tones(tones[c], row.srgb[c], own_width);
    luma_row(out.luma.row(y), red, green, blue, own_width);
    for (int c = 0; c < 3; ++c)
      shrinker[c].add(y, row.linear[c]);
  }
  for (int c = 0; c < 3; ++c)
    out.oklab.channel[c] = shrinker[c].finish();
  to_oklab(out.oklab);
  const double pixels = static_cast<double>(out.luma.size());
  finish_spot(out.burnt, burnt, pixels);
  finish_spot(out.crushed, crushed, pixels);
  out.tones = std::cbrt(tones_in(tones[0]) * tones_in(tones[1]) * tones_in(tones[2]));
  return out;
}

}  // namespace sprenn
