#include "vectorise.h"

#include "colour.h"

#include <algorithm>
#include <array>
#include <cmath>

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

float linear(float v) {
  const float place = std::clamp(v, 0.0f, 1.0f) * kSteps;
  const auto below = static_cast<std::size_t>(place);
  const float part = place - static_cast<float>(below);
  const auto& table = linear_table();
  return table[below] + part * (table[below + 1] - table[below]);
}

Picture linear_at(const Picture& srgb, int width, int height) {
  Picture out;
  for (int c = 0; c < 3; ++c) {
    Plane plane = srgb.channel[c];
    for (float& value : plane.values) value = linear(value);
    out.channel[c] = resize(plane, width, height);
  }
  return out;
}

}  // namespace

Picture resize_srgb(const Picture& srgb, int width, int height) {
  if (srgb.width() == width && srgb.height() == height) return srgb;
  Picture out = linear_at(srgb, width, height);
  for (Plane& plane : out.channel)
    for (float& value : plane.values) value = static_cast<float>(srgb_from_linear(value));
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
    out.channel[0].values[i] = static_cast<float>(srgb_from_linear(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s));
    out.channel[1].values[i] = static_cast<float>(srgb_from_linear(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s));
    out.channel[2].values[i] = static_cast<float>(srgb_from_linear(-0.0041960863 * l - 0.7034186147 * m + 1.7076147010 * s));
  }
  return out;
}

Picture oklab_from_srgb(const Picture& srgb, int width, int height) {
  Picture out = linear_at(srgb, width, height);
  for (std::size_t i = 0; i < out.channel[0].size(); ++i) {
    const float r = out.channel[0].values[i];
    const float g = out.channel[1].values[i];
    const float b = out.channel[2].values[i];
    const float l = std::cbrt(0.4122214708f * r + 0.5363325363f * g + 0.0514459929f * b);
    const float m = std::cbrt(0.2119034982f * r + 0.6806995451f * g + 0.1073969566f * b);
    const float s = std::cbrt(0.0883024619f * r + 0.2817188376f * g + 0.6299787005f * b);
    out.channel[0].values[i] = 0.2104542553f * l + 0.7936177850f * m - 0.0040720468f * s;
    out.channel[1].values[i] = 1.9779984951f * l - 2.4285922050f * m + 0.4505937099f * s;
    out.channel[2].values[i] = 0.0259040371f * l + 0.7827717662f * m - 0.8086757660f * s;
  }
  return out;
}

}  // namespace sprenn
