#include "vectorise.h"

#include "layout.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kSide = 16;
constexpr int kPatches = kSide * kSide;
// Distances are ranked by counting in so many cells: ties within one cell share a rank.
constexpr int kCells = 8192;
// Patches nearer than this are alike: below, only grain and rounding decide.
constexpr float kAlike = 2e-3f;

SPRENN_WIDE void distances_from(float* out, const std::array<Values, 4>& facts, int own, int n) {
  const float *l = facts[0].data(), *a = facts[1].data(), *b = facts[2].data(),
              *s = facts[3].data();
  const float l0 = l[own], a0 = a[own], b0 = b[own], s0 = s[own];
  for (int i = 0; i < n; ++i) {
    const int at = own + 1 + i;
    out[i] = std::sqrt((l[at] - l0) * (l[at] - l0) + (a[at] - a0) * (a[at] - a0) +
                       (b[at] - b0) * (b[at] - b0) + (s[at] - s0) * (s[at] - s0));
  }
}

}  // namespace

std::vector<float> layout_ranks(const Picture& oklab) {
  std::array<Values, 4> facts;
  Plane squares = oklab.channel[0];
  for (float& value : squares.values)
    value *= value;
  for (int c = 0; c < 3; ++c)
    facts[static_cast<std::size_t>(c)] = resize(oklab.channel[c], kSide, kSide).values;
  facts[3] = resize(squares, kSide, kSide).values;
  for (std::size_t i = 0; i < kPatches; ++i)
    facts[3][i] = std::sqrt(std::max(0.0f, facts[3][i] - facts[0][i] * facts[0][i]));

  std::vector<float> distance(static_cast<std::size_t>(kPatches * (kPatches - 1) / 2));
  float* to = distance.data();
  for (int own = 0; own + 1 < kPatches; ++own) {
    distances_from(to, facts, own, kPatches - own - 1);
    to += kPatches - own - 1;
  }
  const float largest = *std::max_element(distance.begin(), distance.end());
  if (largest < kAlike)
    return {};
  std::vector<int> count(kCells, 0);
  const float scale = (kCells - 1) / largest;
  for (const float d : distance)
    ++count[static_cast<std::size_t>(d * scale)];
  std::vector<float> rank(kCells);
  const double middle = 0.5 * static_cast<double>(distance.size());
  double below = 0.0;
  for (std::size_t i = 0; i < kCells; ++i) {
    rank[i] = static_cast<float>(below + 0.5 * count[i] - middle);
    below += count[i];
  }
  for (float& d : distance)
    d = rank[static_cast<std::size_t>(d * scale)];
  return distance;
}

double layout_agreement(const std::vector<float>& a, const std::vector<float>& b,
                        Weighting& weight) {
  if (a.empty() || b.empty())
    return 0.0;
  const Plane* own_weight = weight.at(kSide, kSide);
  const Values kept = own_weight ? own_weight->values : Values(kPatches, 1.0f);
  double n = 0.0, sum_a = 0.0, sum_b = 0.0, dot = 0.0, aa = 0.0, bb = 0.0;
  std::size_t at = 0;
  for (std::size_t own = 0; own < kPatches; ++own) {
    for (std::size_t other = own + 1; other < kPatches; ++other, ++at) {
      if (kept[own] < 0.5f || kept[other] < 0.5f)
        continue;
      const double x = static_cast<double>(a[at]), y = static_cast<double>(b[at]);
      n += 1.0;
      sum_a += x;
      sum_b += y;
      dot += x * y;
      aa += x * x;
      bb += y * y;
    }
  }
  if (n < 2.0)
    return 0.0;
  const double norm = (aa - sum_a * sum_a / n) * (bb - sum_b * sum_b / n);
  return norm > 0.0 ? (dot - sum_a * sum_b / n) / std::sqrt(norm) : 0.0;
}

}  // namespace sprenn
