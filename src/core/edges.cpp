#include "vectorise.h"

#include "edges.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace sprenn {

namespace {

constexpr int kLongEdge = 384;
constexpr float kNear = 2.0f;   // the tolerance of the agreement, in pixels
constexpr float kFar = 4.0f;    // beyond this an outline has no counterpart
constexpr float kStretch = 6.0f;
// How much of the outlines around must lack a counterpart too: one that is merely
// jagged elsewhere has neighbours that match.
constexpr float kMostly = 0.6f;

// Whether a pixel's gradient is the largest across its edge.
bool is_crest(const Plane& strength, float gx, float gy, int x, int y) {
  const float ax = std::fabs(gx), ay = std::fabs(gy);
  int dx = 1, dy = 0;
  if (ay > 2.414f * ax) {
    dx = 0;
    dy = 1;
  } else if (ay > 0.414f * ax) {
    dy = gx * gy > 0 ? 1 : -1;
  }
  const auto value = [&](int u, int v) {
    return u < 0 || v < 0 || u >= strength.width || v >= strength.height ? 0.0f : strength.at(u, v);
  };
  const float own = strength.at(x, y);
  return own > value(x - dx, y - dy) && own >= value(x + dx, y + dy);
}

// The lower envelope of parabolas over squared distances, in one direction.
void nearest_along(const float* from, float* to, int n, std::vector<int>& at, std::vector<float>& start) {
  at.resize(static_cast<std::size_t>(n));
  start.resize(static_cast<std::size_t>(n) + 1);
  const auto meet = [&](int p, int q) {
    return ((from[q] + static_cast<float>(q) * static_cast<float>(q)) - (from[p] + static_cast<float>(p) * static_cast<float>(p))) /
           (2.0f * static_cast<float>(q - p));
  };
  std::size_t k = 0;
  at[0] = 0;
  start[0] = -1e30f;
  start[1] = 1e30f;
  for (int q = 1; q < n; ++q) {
    float s = meet(at[k], q);
    while (s <= start[k]) s = meet(at[--k], q);
    at[++k] = q;
    start[k] = s;
    start[k + 1] = 1e30f;
  }
  k = 0;
  for (int q = 0; q < n; ++q) {
    while (start[k + 1] < static_cast<float>(q)) ++k;
    const float d = static_cast<float>(q - at[k]);
    to[q] = d * d + from[at[k]];
  }
}

// The share of `a` near `b`, where the weight counts.
double share_near(const Edges& a, const Edges& b, const Plane* weight) {
  double near = 0.0, total = 0.0;
  for (const int pixel : a.pixels) {
    const std::size_t i = static_cast<std::size_t>(pixel);
    const double by = weight ? static_cast<double>(weight->values[i]) : 1.0;
    const float d = b.distance.values[i] / kNear;
    if (d < 5.0f) near += by * static_cast<double>(std::exp(-0.5f * d * d));
    total += by;
  }
  return total > 0.0 ? near / total : 0.0;
}

Plane fitted(const Plane* weight, const Plane& like) { return weight ? resize(*weight, like.width, like.height) : Plane(); }

}  // namespace

Plane thin_edges(const Plane& lightness, float sigma) {
  const Plane smooth = blur(lightness, sigma);
  const Gradient gradient = gradient_of(smooth);
  const Plane strength = length_of(gradient);
  const float high = std::max(0.012f, quantile_of(strength.values, 0.9));
  const float low = 0.4f * high;
  const int w = smooth.width, h = smooth.height;
  // The weak crests too, each looked at once.
  std::vector<char> crest(strength.size());
  std::vector<int> strong;
  for (int y = 0; y < h; ++y) {
    const float* own = strength.row(y);
    for (int x = 0; x < w; ++x) {
      if (own[x] < low || !is_crest(strength, gradient.across.at(x, y), gradient.down.at(x, y), x, y)) continue;
      crest[static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x)] = 1;
      if (own[x] >= high) strong.push_back(y * w + x);
    }
  }
  // An edge goes on along weak crests from every strong one.
  Plane edges(w, h);
  std::vector<int> open;
  const auto take = [&](int pixel) {
    char& one = crest[static_cast<std::size_t>(pixel)];
    if (!one) return;
    one = 0;
    edges.values[static_cast<std::size_t>(pixel)] = 1.0f;
    open.push_back(pixel);
  };
  for (const int start : strong) {
    take(start);
    while (!open.empty()) {
      const int u = open.back() % w, v = open.back() / w;
      open.pop_back();
      for (int b = std::max(0, v - 1); b <= std::min(h - 1, v + 1); ++b)
        for (int a = std::max(0, u - 1); a <= std::min(w - 1, u + 1); ++a) take(b * w + a);
    }
  }
  return edges;
}

Plane distance_to(const Plane& marked) {
  const int w = marked.width, h = marked.height;
  constexpr float kFarSquared = kNowhere * kNowhere;
  // Down the columns the nearest is a count; across the rows it takes the envelope.
  Plane down(w, h, kNowhere);
  for (int y = 0; y < h; ++y) {
    const float *own = marked.row(y), *above = y > 0 ? down.row(y - 1) : nullptr;
    float* to = down.row(y);
    for (int x = 0; x < w; ++x) to[x] = own[x] != 0.0f ? 0.0f : above ? above[x] + 1.0f : kNowhere;
  }
  for (int y = h - 2; y >= 0; --y) {
    const float* below = down.row(y + 1);
    float* to = down.row(y);
    for (int x = 0; x < w; ++x) to[x] = std::min(to[x], below[x] + 1.0f);
  }
  Plane out(w, h);
  std::vector<int> at;
  std::vector<float> start, squared(static_cast<std::size_t>(w));
  for (int y = 0; y < h; ++y) {
    const float* from = down.row(y);
    for (int x = 0; x < w; ++x) squared[static_cast<std::size_t>(x)] = from[x] >= kNowhere ? kFarSquared : from[x] * from[x];
    nearest_along(squared.data(), out.row(y), w, at, start);
  }
  for (float& value : out.values) value = value >= 0.5f * kFarSquared ? kNowhere : std::sqrt(value);
  return out;
}

std::vector<Region> regions_of(const Plane& marked, const Plane& weight) {
  const int w = marked.width, h = marked.height;
  std::vector<char> seen(marked.size(), 0);
  std::vector<std::pair<int, int>> open;
  std::vector<Region> out;
  const auto take = [&](int x, int y) {
    const std::size_t at = static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x);
    if (seen[at] || marked.values[at] <= 0.5f) return false;
    seen[at] = 1;
    open.emplace_back(x, y);
    return true;
  };
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      if (!take(x, y)) continue;
      Region region{x, y, x + 1, y + 1, 0.0};
      while (!open.empty()) {
        const auto [u, v] = open.back();
        open.pop_back();
        region.left = std::min(region.left, u);
        region.right = std::max(region.right, u + 1);
        region.top = std::min(region.top, v);
        region.bottom = std::max(region.bottom, v + 1);
        region.weight += static_cast<double>(weight.at(u, v));
        for (int b = std::max(0, v - 1); b <= std::min(h - 1, v + 1); ++b)
          for (int a = std::max(0, u - 1); a <= std::min(w - 1, u + 1); ++a) take(a, b);
      }
      out.push_back(region);
    }
  }
  std::stable_sort(out.begin(), out.end(), [](const Region& a, const Region& b) { return a.weight > b.weight; });
  return out;
}

Edges edges_of(const Picture& oklab) {
  const Size size = with_long_edge(oklab.width(), oklab.height(), kLongEdge);
  Edges out;
  out.thin = thin_edges(resize(oklab.channel[0], size.width, size.height));
  out.distance = distance_to(out.thin);
  for (std::size_t i = 0; i < out.thin.size(); ++i)
    if (out.thin.values[i] > 0.5f) out.pixels.push_back(static_cast<int>(i));
  return out;
}

double edge_agreement(const Edges& a, const Edges& b, const Plane* weight) {
  const Plane kept = fitted(weight, a.thin);
  const Plane* by = weight ? &kept : nullptr;
  const double one = share_near(a, b, by), other = share_near(b, a, by);
  return one + other > 0.0 ? 2.0 * one * other / (one + other) : 0.0;
}

Unmatched unmatched_edges(const Edges& a, const Edges& b, const Plane* weight) {
  const Plane kept = fitted(weight, a.thin);
  const int w = a.thin.width, h = a.thin.height;
  Plane all(w, h), alone(w, h);
  double total = 0.0;
  for (std::size_t i = 0; i < all.size(); ++i) {
    all.values[i] = a.thin.values[i] * (weight ? kept.values[i] : 1.0f);
    total += static_cast<double>(all.values[i]);
    if (b.distance.values[i] > kFar) alone.values[i] = all.values[i];
  }
  Unmatched out;
  out.map = Plane(w, h);
  if (total <= 0.0) return out;
  const Plane around = blur_wide(all, kStretch), lacking = blur_wide(alone, kStretch);
  Plane near(w, h);
  for (std::size_t i = 0; i < all.size(); ++i) {
    const bool mostly = around.values[i] > 0.01f && lacking.values[i] > kMostly * around.values[i];
    near.values[i] = mostly ? 1.0f : 0.0f;
    out.map.values[i] = mostly ? alone.values[i] : 0.0f;
    out.share += static_cast<double>(out.map.values[i]) / total;
  }
  out.regions = regions_of(near, out.map);
  // A region without any outline of its own is only the neighbourhood of one.
  while (!out.regions.empty() && out.regions.back().weight <= 0.0) out.regions.pop_back();
  for (Region& region : out.regions) region.weight /= total;
  return out;
}

}  // namespace sprenn
