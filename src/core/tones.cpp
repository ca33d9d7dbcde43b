#include "vectorise.h"

#include "tones.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kLevels = 3;
constexpr int kLargest = 256;
constexpr int kBlock = 4;
constexpr int kGroups = 16;
constexpr int kGroupEdge = 128;
// A window whose lightness varies less than this holds rounding and grain only.
constexpr double kFaint = 0.01;
// Above this spread a window counts fully.
constexpr double kClear = 0.02;

// Sums over blocks of a product; what is left over at the right and below is not counted.
Plane block_sums(const Plane& a, const Plane& b) {
  Plane out(a.width / kBlock, a.height / kBlock);
  for (int y = 0; y < out.height * kBlock; ++y) {
    const float *p = a.row(y), *q = b.row(y);
    float* to = out.row(y / kBlock);
    for (int x = 0; x < out.width; ++x, p += kBlock, q += kBlock)
      to[x] += (p[0] * q[0] + p[1] * q[1]) + (p[2] * q[2] + p[3] * q[3]);
  }
  return out;
}

Plane block_sums(const Plane& a) {
  Plane out(a.width / kBlock, a.height / kBlock);
  for (int y = 0; y < out.height * kBlock; ++y) {
    const float* p = a.row(y);
    float* to = out.row(y / kBlock);
    for (int x = 0; x < out.width; ++x, p += kBlock)
      to[x] += (p[0] + p[1]) + (p[2] + p[3]);
  }
  return out;
}

double window(const Plane& blocks, int x, int y) {
  const float *above = blocks.row(y) + x, *below = blocks.row(y + 1) + x;
  return static_cast<double>((above[0] + above[1]) + (below[0] + below[1]));
}

std::vector<std::uint8_t> groups_of(const Plane& lightness) {
  constexpr int kCells = 1024;
  std::vector<int> count(kCells, 0);
  // Black and white lie in the middle of a cell, not at the border of two.
  const auto cell = [](float value) {
    return static_cast<std::size_t>(std::clamp(value, 0.0f, 1.0f) * (kCells - 1) + 0.5f);
  };
  for (const float value : lightness.values)
    ++count[cell(value)];
  std::vector<std::uint8_t> group(kCells);
  double below = 0.0;
  for (std::size_t i = 0; i < kCells; ++i) {
    const double place = (below + 0.5 * count[i]) / static_cast<double>(lightness.size());
    group[i] = static_cast<std::uint8_t>(std::min(kGroups - 1, static_cast<int>(place * kGroups)));
    below += count[i];
  }
  std::vector<std::uint8_t> out(lightness.size());
  for (std::size_t i = 0; i < out.size(); ++i)
    out[i] = group[cell(lightness.values[i])];
  return out;
}

double entropy(const double* share, int n) {
  double sum = 0.0;
  for (int i = 0; i < n; ++i)
    if (share[i] > 0.0)
      sum -= share[i] * std::log(share[i]);
  return sum;
}

}  // namespace

Tones tones_of(const Picture& oklab) {
  Tones tones;
  Plane level = oklab.channel[0];
  for (int k = 0; k < kLevels; ++k) {
    const Size size = with_long_edge(oklab.width(), oklab.height(), kLargest >> k);
    level = resize(level, size.width, size.height);
    tones.levels.push_back(level);
    tones.sums.push_back(block_sums(level));
    tones.squares.push_back(block_sums(level, level));
  }
  const Size size = with_long_edge(oklab.width(), oklab.height(), kGroupEdge);
  tones.groups = groups_of(blur(resize(oklab.channel[0], size.width, size.height), 1.0f));
  tones.width = size.width;
  tones.height = size.height;
  return tones;
}

double local_correlation(const Tones& a, const Tones& b, Weighting& weight) {
  constexpr double kPixels = 4.0 * kBlock * kBlock;
  double sum = 0.0;
  int levels = 0;
  for (std::size_t k = 0; k < a.levels.size(); ++k) {
    const Plane products = block_sums(a.levels[k], b.levels[k]);
    if (products.width < 2 || products.height < 2)
      continue;
    const Plane* kept = weight.at(products.width, products.height);
    double agreed = 0.0, total = 0.0;
    for (int y = 0; y + 1 < products.height; ++y) {
      for (int x = 0; x + 1 < products.width; ++x) {
        const double ma = window(a.sums[k], x, y) / kPixels, mb = window(b.sums[k], x, y) / kPixels;
        const double va = std::max(0.0, window(a.squares[k], x, y) / kPixels - ma * ma);
        const double vb = std::max(0.0, window(b.squares[k], x, y) / kPixels - mb * mb);
        const double both = window(products, x, y) / kPixels - ma * mb;
        const double largest = std::sqrt(std::max(va, vb));
        double counts = largest / (largest + kClear);
        if (kept)
          counts *= window(*kept, x, y) / 4.0;
        agreed += counts * std::min(1.0, std::abs(both) / std::sqrt((va + kFaint * kFaint) *
                                                                    (vb + kFaint * kFaint)));
        total += counts;
      }
    }
    if (total > 0.0) {
      sum += agreed / total;
      ++levels;
    }
  }
  return levels ? sum / levels : 0.0;
}

double shared_information(const Tones& a, const Tones& b, Weighting& weight) {
  std::array<double, kGroups * kGroups> both{};
  std::array<double, kGroups> of_a{}, of_b{};
  const Plane* kept = weight.at(a.width, a.height);
  double total = 0.0;
  for (std::size_t i = 0; i < a.groups.size(); ++i) {
    const double by = kept ? static_cast<double>(kept->values[i]) : 1.0;
    both[static_cast<std::size_t>(a.groups[i] * kGroups + b.groups[i])] += by;
    total += by;
  }
  if (total <= 0.0)
    return 0.0;
  for (std::size_t i = 0; i < both.size(); ++i) {
    both[i] /= total;
    of_a[i / kGroups] += both[i];
    of_b[i % kGroups] += both[i];
  }
  const double mean = 0.5 * (entropy(of_a.data(), kGroups) + entropy(of_b.data(), kGroups));
  if (mean <= 0.0)
    return 0.0;
  return std::clamp(2.0 - entropy(both.data(), kGroups * kGroups) / mean, 0.0, 1.0);
}

}  // namespace sprenn
