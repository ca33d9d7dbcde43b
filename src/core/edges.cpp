#include "vectorise.h"

#include "edges.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstring>

namespace sprenn {

namespace {

constexpr double kNear = 2.0;  // the tolerance of the agreement, in pixels
constexpr float kFar = 4.0f;   // beyond this an outline has no counterpart
constexpr int kLooked = 10;  // how far a counterpart is looked for: there it counts next to nothing
constexpr float kStretch = 6.0f;
// How much of the outlines around must lack a counterpart too: one that is merely
// jagged elsewhere has neighbours that match.
constexpr float kMostly = 0.6f;

// Whether each pixel's gradient is the largest across its edge: 1 where it is, 2 where it
// is strong too. `own` and the rows around it have a place more at either end.
SPRENN_WIDE void mark_crests(char* to, const float* above, const float* own, const float* below,
                             const float* gx, const float* gy, float low, float high, int n) {
  for (int x = 0; x < n; ++x) {
    const float ax = std::fabs(gx[x]), ay = std::fabs(gy[x]), s = own[x];
    const int upright = ay > 2.414f * ax, level = ay <= 0.414f * ax, falling = gx[x] * gy[x] > 0.0f;
    const int side = (s > own[x - 1]) & (s >= own[x + 1]), down = (s > above[x]) & (s >= below[x]);
    const int fall = (s > above[x - 1]) & (s >= below[x + 1]),
              rise = (s > below[x - 1]) & (s >= above[x + 1]);
    const int slant = (falling & fall) | ((1 - falling) & rise);
    const int crest = (upright & down) | (level & side) | ((1 - upright) & (1 - level) & slant);
    to[x] = static_cast<char>(crest & (s >= low)) + static_cast<char>(crest & (s >= high));
  }
}

SPRENN_WIDE void nearer(float* __restrict to, const float* before, const float* after,
                        float squared, int n) {
  for (int x = 0; x < n; ++x) {
    const float least = std::min(before[x], after[x]) + squared;
    to[x] = std::min(to[x], least);
  }
}

SPRENN_WIDE void roots_within(float* values, float squared, int n) {
  for (int x = 0; x < n; ++x)
    values[x] = values[x] > squared ? kNowhere : std::sqrt(values[x]);
}

// What an outline counts whose counterpart is so far away, by the square of that.
const std::array<double, kLooked * kLooked + 1>& nearness() {
  static const auto table = [] {
    std::array<double, kLooked * kLooked + 1> t{};
    for (std::size_t squared = 0; squared < t.size(); ++squared)
      t[squared] = std::exp(-0.5 * static_cast<double>(squared) / (kNear * kNear));
    return t;
  }();
  return table;
}

// The share of `a` near `b`, where the weight counts.
double share_near(const Edges& a, const Edges& b, const Plane* weight) {
  const auto& counts = nearness();
  double near = 0.0, total = 0.0;
  for (const int pixel : a.pixels) {
    const std::size_t i = static_cast<std::size_t>(pixel);
    const double by = weight ? static_cast<double>(weight->values[i]) : 1.0;
    const float d = b.distance.values[i];
    if (d <= kLooked)
      near += by * counts[static_cast<std::size_t>(d * d + 0.5f)];
    total += by;
  }
  return total > 0.0 ? near / total : 0.0;
}

SPRENN_WIDE void without_counterpart(float* alone, const float* all, const float* distance,
                                     std::size_t n) {
  for (std::size_t i = 0; i < n; ++i)
    alone[i] = distance[i] > kFar ? all[i] : 0.0f;
}

SPRENN_WIDE void mostly_lacking(float* near, float* map, const float* alone, const float* around,
                                const float* lacking, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    near[i] = around[i] > 0.01f && lacking[i] > kMostly * around[i] ? 1.0f : 0.0f;
    map[i] = near[i] * alone[i];
  }
}

Plane fitted(const Plane* weight, const Plane& like) {
  return weight ? resize(*weight, like.width, like.height) : Plane();
}

}  // namespace

Plane thin_edges(const Plane& lightness, float sigma) {
  const Plane smooth = blur(lightness, sigma);
  const Gradient gradient = gradient_of(smooth);
  const Plane strength = length_of(gradient);
  const float high = std::max(0.012f, quantile_of(strength.values, 0.9));
  const float low = 0.4f * high;
  const int w = smooth.width, h = smooth.height;
  // The weak crests too, each looked at once, with a border on which there is none.
  const std::ptrdiff_t stride = w + 2;
  std::vector<char> crests(static_cast<std::size_t>(stride * (h + 2)));
  std::vector<float> rows[3];
  for (auto& row : rows)
    row.assign(static_cast<std::size_t>(stride), 0.0f);
  const auto padded = [&](int y) {
    auto& row = rows[static_cast<std::size_t>(y % 3)];
    if (y < h)
      std::copy_n(strength.row(y), w, row.begin() + 1);
    else
      std::fill(row.begin(), row.end(), 0.0f);
    return row.data() + 1;
  };
  const float *above = rows[2].data() + 1, *own = padded(0);
  for (int y = 0; y < h; ++y) {
    const float* below = padded(y + 1);
    mark_crests(crests.data() + (y + 1) * stride + 1, above, own, below, gradient.across.row(y),
                gradient.down.row(y), low, high, w);
    above = own;
    own = below;
  }
  // An edge goes on along weak crests from every strong one.
  constexpr char kStrong = 2, kTaken = 3;
  std::vector<char*> open;
  const auto take = [&](char* one) {
    if (*one == 0 || *one == kTaken)
      return;
    *one = kTaken;
    open.push_back(one);
  };
  char* const end = crests.data() + crests.size();
  for (char* at = crests.data(); at != end; ++at) {
    at = static_cast<char*>(std::memchr(at, kStrong, static_cast<std::size_t>(end - at)));
    if (!at)
      break;
    take(at);
    while (!open.empty()) {
      char* const one = open.back();
      open.pop_back();
      for (const std::ptrdiff_t line : {-stride, std::ptrdiff_t{0}, stride})
        for (std::ptrdiff_t side = -1; side <= 1; ++side)
          take(one + line + side);
    }
  }
  Plane edges = Plane::unset(w, h);
  for (int y = 0; y < h; ++y) {
    const char* from = crests.data() + (y + 1) * stride + 1;
    float* to = edges.row(y);
    for (int x = 0; x < w; ++x)
      to[x] = from[x] == kTaken ? 1.0f : 0.0f;
  }
  return edges;
}

Plane distance_to(const Plane& marked, int reach) {
  const int w = marked.width, h = marked.height;
  // Down the columns the nearest is a count; across the rows, the least sum of squares.
  Plane down = Plane::unset(w, h);
  for (int y = 0; y < h; ++y) {
    const float *own = marked.row(y), *above = y > 0 ? down.row(y - 1) : nullptr;
    float* to = down.row(y);
    for (int x = 0; x < w; ++x)
      to[x] = own[x] != 0.0f ? 0.0f : above ? above[x] + 1.0f : kNowhere;
  }
  for (int y = h - 2; y >= 0; --y) {
    const float* below = down.row(y + 1);
    float* to = down.row(y);
    for (int x = 0; x < w; ++x)
      to[x] = std::min(to[x], below[x] + 1.0f);
  }
  reach = std::min(reach, std::max(w, h));
  const float within = static_cast<float>(reach) * static_cast<float>(reach);
  Values squared(static_cast<std::size_t>(w + 2 * reach), kNowhere * kNowhere);
  for (int y = 0; y < h; ++y) {
    float *own = down.row(y), *middle = squared.data() + reach;
    for (int x = 0; x < w; ++x)
      own[x] = middle[x] = own[x] * own[x];
    for (int k = 1; k <= reach; ++k)
      nearer(own, middle - k, middle + k, static_cast<float>(k) * static_cast<float>(k), w);
    roots_within(own, within, w);
  }
  return down;
}

std::vector<Region> regions_of(const Plane& marked, const Plane& weight) {
  const int w = marked.width, h = marked.height;
  // Those not yet in a region, with a border where there is none.
  const std::ptrdiff_t stride = w + 2;
  std::vector<char> waits(static_cast<std::size_t>(stride * (h + 2)));
  for (int y = 0; y < h; ++y) {
    char* to = waits.data() + (y + 1) * stride + 1;
    const float* from = marked.row(y);
    for (int x = 0; x < w; ++x)
      to[x] = from[x] > 0.5f;
  }
  struct Place {
    char* at;
    int x, y;
  };
  std::vector<Place> open;
  std::vector<Region> out;
  char* const end = waits.data() + waits.size();
  for (char* at = waits.data(); at != end; ++at) {
    at = static_cast<char*>(std::memchr(at, 1, static_cast<std::size_t>(end - at)));
    if (!at)
      break;
    const int y = static_cast<int>((at - waits.data()) / stride) - 1,
              x = static_cast<int>((at - waits.data()) % stride) - 1;
    Region region{x, y, x + 1, y + 1, 0.0};
    *at = 0;
    open.push_back({at, x, y});
    while (!open.empty()) {
      const Place one = open.back();
      open.pop_back();
      region.left = std::min(region.left, one.x);
      region.right = std::max(region.right, one.x + 1);
      region.top = std::min(region.top, one.y);
      region.bottom = std::max(region.bottom, one.y + 1);
      region.weight += static_cast<double>(weight.at(one.x, one.y));
      for (int down = -1; down <= 1; ++down)
        for (int side = -1; side <= 1; ++side) {
          char* const next = one.at + down * stride + side;
          if (!*next)
            continue;
          *next = 0;
          open.push_back({next, one.x + side, one.y + down});
        }
    }
    out.push_back(region);
  }
  std::stable_sort(out.begin(), out.end(),
                   [](const Region& a, const Region& b) { return a.weight > b.weight; });
  return out;
}

Edges edges_of(const Plane& lightness) {
  Edges out;
  out.thin = thin_edges(lightness);
  out.distance = distance_to(out.thin, kLooked);
  for (std::size_t i = 0; i < out.thin.size(); ++i)
    if (out.thin.values[i] > 0.5f)
      out.pixels.push_back(static_cast<int>(i));
  return out;
}

double edge_agreement(const Edges& a, const Edges& b, Weighting& weight) {
  const Plane* by = weight.at(a.thin.width, a.thin.height);
  const double one = share_near(a, b, by), other = share_near(b, a, by);
  return one + other > 0.0 ? 2.0 * one * other / (one + other) : 0.0;
}

Unmatched unmatched_edges(const Edges& a, const Edges& b, const Plane* weight) {
  const Plane kept = fitted(weight, a.thin);
  const int w = a.thin.width, h = a.thin.height;
  Plane all = a.thin, alone = Plane::unset(w, h);
  if (weight)
    for (std::size_t i = 0; i < all.size(); ++i)
      all.values[i] *= kept.values[i];
  without_counterpart(alone.values.data(), all.values.data(), b.distance.values.data(), all.size());
  const double total = sum_of(all.values.data(), all.size());
  Unmatched out;
  out.map = Plane(w, h);
  if (total <= 0.0)
    return out;
  const Plane around = blur_wide(all, kStretch), lacking = blur_wide(alone, kStretch);
  Plane near = Plane::unset(w, h);
  mostly_lacking(near.values.data(), out.map.values.data(), alone.values.data(),
                 around.values.data(), lacking.values.data(), all.size());
  out.share = sum_of(out.map.values.data(), out.map.size()) / total;
  out.regions = regions_of(near, out.map);
  // A region without any outline of its own is only the neighbourhood of one.
  while (!out.regions.empty() && out.regions.back().weight <= 0.0)
    out.regions.pop_back();
  for (Region& region : out.regions)
    region.weight /= total;
  return out;
}

}  // namespace sprenn
