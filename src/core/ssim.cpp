#include "vectorise.h"

#include "ssim.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kWindow = 11;
constexpr float kOne = 0.01f * 0.01f;
constexpr float kTwo = 0.03f * 0.03f;
constexpr std::array<double, 5> kWeights = {0.0448, 0.2856, 0.3001, 0.2363, 0.1333};

const std::array<float, kWindow>& window() {
  static const auto weights = [] {
    std::array<double, kWindow> w{};
    double total = 0.0;
    for (int i = 0; i < kWindow; ++i)
      total += w[static_cast<std::size_t>(i)] = std::exp(-0.5 * (i - 5) * (i - 5) / 2.25);
    std::array<float, kWindow> out{};
    for (std::size_t i = 0; i < kWindow; ++i)
      out[i] = static_cast<float>(w[i] / total);
    return out;
  }();
  return weights;
}

// One pass of the window over rows `in`, which lie `step` floats apart.
SPRENN_WIDE void windowed_row(float* out, const float* in, std::size_t step, const float* w,
                              int n) {
  SPRENN_APART
  for (int x = 0; x < n; ++x) {
    const float* p = in + x;
    out[x] = w[0] * (p[0] + p[10 * step]) + w[1] * (p[step] + p[9 * step]) +
             w[2] * (p[2 * step] + p[8 * step]) + w[3] * (p[3 * step] + p[7 * step]) +
             w[4] * (p[4 * step] + p[6 * step]) + w[5] * p[5 * step];
  }
}

SPRENN_WIDE void multiply_row(float* out, const float* a, const float* b, int n) {
  for (int x = 0; x < n; ++x)
    out[x] = a[x] * b[x];
}

// Windowed means of the product of two planes, or of one, where the window fits.
Plane windowed(const Plane& a, const Plane* b) {
  const int w = a.width, h = a.height;
  const float* weights = window().data();
  Plane across = Plane::unset(w - kWindow + 1, h),
        out = Plane::unset(w - kWindow + 1, h - kWindow + 1);
  std::vector<float> row(static_cast<std::size_t>(w));
  for (int y = 0; y < h; ++y) {
    const float* from = a.row(y);
    if (b) {
      multiply_row(row.data(), from, b->row(y), w);
      from = row.data();
    }
    windowed_row(across.row(y), from, 1, weights, across.width);
  }
  for (int y = 0; y < out.height; ++y)
    windowed_row(out.row(y), across.row(y), static_cast<std::size_t>(across.width), weights,
                 out.width);
  return out;
}

SPRENN_WIDE void compare_row(float* light, float* rest, const float* ma, const float* mb,
                             const float* aa, const float* bb, const float* ab, int n) {
  SPRENN_APART
  for (int x = 0; x < n; ++x) {
    const float product = ma[x] * mb[x], squares = ma[x] * ma[x] + mb[x] * mb[x];
    light[x] = (2.0f * product + kOne) / (squares + kOne);
    rest[x] = (2.0f * (ab[x] - product) + kTwo) / (aa[x] + bb[x] - squares + kTwo);
  }
}

Plane shrink_by(const Plane& plane, int factor) {
  const int w = plane.width / factor, h = plane.height / factor;
  if (factor == 1)
    return plane;
  // What is left over at the right and below stays out.
  Shrinker shrinker(w * factor, h * factor, w, h);
  for (int y = 0; y < h * factor; ++y)
    shrinker.add(y, plane.row(y));
  return shrinker.finish();
}

}  // namespace

Octaves octaves_of(const Plane& luma, bool as_it_is) {
  Octaves out;
  const int factor =
      as_it_is
          ? 1
          : std::max(1, static_cast<int>(std::lround(std::min(luma.width, luma.height) / 256.0)));
  Plane level = shrink_by(luma, factor);
  while (out.size() < kWeights.size() && std::min(level.width, level.height) >= kWindow) {
    Plane mean = windowed(level, nullptr), square = windowed(level, &level);
    Plane next = std::min(level.width, level.height) >= 2 * kWindow ? shrink_by(level, 2) : Plane();
    out.push_back({std::move(level), std::move(mean), std::move(square)});
    level = std::move(next);
  }
  return out;
}

Similarity similarity_of(const Octaves& a, const Octaves& b) {
  Similarity out;
  double weights = 0.0, logs = 0.0;
  bool opposed = false;
  for (std::size_t k = 0; k < a.size(); ++k) {
    const Plane both = windowed(a[k].luma, &b[k].luma);
    std::vector<float> light(static_cast<std::size_t>(both.width)), rest(light.size());
    double sum_rest = 0.0, sum_all = 0.0;
    for (int y = 0; y < both.height; ++y) {
      compare_row(light.data(), rest.data(), a[k].mean.row(y), b[k].mean.row(y), a[k].square.row(y),
                  b[k].square.row(y), both.row(y), both.width);
      float row_rest = 0.0f, row_all = 0.0f;
      for (std::size_t x = 0; x < light.size(); ++x) {
        row_rest += rest[x];
        row_all += light[x] * rest[x];
      }
      sum_rest += static_cast<double>(row_rest);
      sum_all += static_cast<double>(row_all);
    }
    const double n = static_cast<double>(both.size());
    if (k == 0)
      out.single = sum_all / n;
    // The light is compared in the last octave only.
    const double part = (k + 1 == a.size() ? sum_all : sum_rest) / n;
    opposed = opposed || part <= 0.0;
    logs += kWeights[k] * std::log(std::max(part, 1e-12));
    weights += kWeights[k];
  }
  // A power of a negative mean has no value: such pictures are not alike at all.
  out.multi = opposed || weights == 0.0 ? 0.0 : std::exp(logs / weights);
  return out;
}

}  // namespace sprenn
