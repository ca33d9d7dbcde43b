#include "fill.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace sprenn {

namespace {

constexpr int kStretch = 24;      // how long a stretch of a mask's edge is, in pixels of 512
constexpr float kDeep = 24.0f;    // how far from the edge detail is looked at
constexpr float kClose = 3.0f;    // what lies nearer is the transition itself
constexpr float kFaint = 0.003f;  // detail below this is none: skies go on as skies
constexpr int kPatch = 14;  // the side of a tile that is looked for elsewhere, in pixels of 128
constexpr int kRepeatEdge = 128;
constexpr float kSmooth = 0.004f;  // a tile with less detail repeats nothing
constexpr double kWidest = 0.02;   // of the long edge: how wide a spot is

// Distance from the mask's half-way line in pixels, positive inside; only near it.
Plane depth_of(const Plane& mask) {
  Plane inside(mask.width, mask.height), outside = inside;
  for (std::size_t i = 0; i < mask.size(); ++i)
    (mask.values[i] >= 0.5f ? inside : outside).values[i] = 1.0f;
  // Repeated means of 3 x 3 would do; a chamfer distance is as plain and exact enough.
  const auto away_from = [](const Plane& marked) {
    Plane out = Plane::unset(marked.width, marked.height);
    const float far = 1e6f;
    for (std::size_t i = 0; i < out.size(); ++i)
      out.values[i] = marked.values[i] > 0.5f ? 0.0f : far;
    const auto relax = [&](int x, int y, int dx, int dy, float step) {
      const int u = x + dx, v = y + dy;
      if (u < 0 || v < 0 || u >= out.width || v >= out.height)
        return;
      out.at(x, y) = std::min(out.at(x, y), out.at(u, v) + step);
    };
    constexpr float kSlant = 1.4142f;
    for (int y = 0; y < out.height; ++y)
      for (int x = 0; x < out.width; ++x) {
        relax(x, y, -1, 0, 1.0f);
        relax(x, y, 0, -1, 1.0f);
        relax(x, y, -1, -1, kSlant);
        relax(x, y, 1, -1, kSlant);
      }
    for (int y = out.height - 1; y >= 0; --y)
      for (int x = out.width - 1; x >= 0; --x) {
        relax(x, y, 1, 0, 1.0f);
        relax(x, y, 0, 1, 1.0f);
        relax(x, y, 1, 1, kSlant);
        relax(x, y, -1, 1, kSlant);
      }
    return out;
  };
  const Plane from_outside = away_from(outside), from_inside = away_from(inside);
  Plane depth = Plane::unset(mask.width, mask.height);
  for (std::size_t i = 0; i < depth.size(); ++i)
    depth.values[i] = from_outside.values[i] - from_inside.values[i];
  return depth;
}

// The lesser of the detail across and down: streaks and flat colours have none.
Plane least_detail(const Plane& lightness) {
  const int w = lightness.width, h = lightness.height;
  Plane across(w, h), down(w, h);
  for (int y = 1; y + 1 < h; ++y)
    for (int x = 1; x + 1 < w; ++x) {
      across.at(x, y) =
          std::abs(2.0f * lightness.at(x, y) - lightness.at(x - 1, y) - lightness.at(x + 1, y));
      down.at(x, y) =
          std::abs(2.0f * lightness.at(x, y) - lightness.at(x, y - 1) - lightness.at(x, y + 1));
    }
  across = blur(across, 3.0f);
  down = blur(down, 3.0f);
  for (std::size_t i = 0; i < across.size(); ++i)
    across.values[i] = std::min(across.values[i], down.values[i]);
  return across;
}

}  // namespace

Fill fill_detail(const Picture& take, const Plane& mask) {
  const int w = take.width(), h = take.height();
  const Plane depth = depth_of(resize(mask, w, h));
  const Plane fine = least_detail(take.channel[0]);
  // Noise has at the next octave half of the detail that it has here; contours have more.
  const Plane coarse = least_detail(blur(take.channel[0], 1.2f));
  struct Stretch {
    double inside = 0.0, outside = 0.0, n_inside = 0.0, n_outside = 0.0;
  };
  const int columns = w / kStretch + 1;
  std::vector<Stretch> stretches(static_cast<std::size_t>(columns * (h / kStretch + 1)));
  double fine_inside = 0.0, coarse_inside = 0.0, fine_outside = 0.0, coarse_outside = 0.0;
  for (int y = 1; y + 1 < h; ++y)
    for (int x = 1; x + 1 < w; ++x) {
      const float away = depth.at(x, y);
      if (std::abs(away) < kClose || std::abs(away) > kDeep)
        continue;
      Stretch& own = stretches[static_cast<std::size_t>(y / kStretch * columns + x / kStretch)];
      (away > 0.0f ? own.inside : own.outside) += static_cast<double>(fine.at(x, y));
      (away > 0.0f ? own.n_inside : own.n_outside) += 1.0;
      (away > 0.0f ? fine_inside : fine_outside) += static_cast<double>(fine.at(x, y));
      (away > 0.0f ? coarse_inside : coarse_outside) += static_cast<double>(coarse.at(x, y));
    }
  // A stretch's two sides may lie in neighbouring cells: sums over 3 x 3 of them.
  std::vector<float> ratios;
  const int rows = static_cast<int>(stretches.size()) / columns;
  for (int row = 0; row < rows; ++row)
    for (int column = 0; column < columns; ++column) {
      Stretch sum;
      for (int v = std::max(0, row - 1); v <= std::min(rows - 1, row + 1); ++v)
        for (int u = std::max(0, column - 1); u <= std::min(columns - 1, column + 1); ++u) {
          const Stretch& one = stretches[static_cast<std::size_t>(v * columns + u)];
          sum.inside += one.inside;
          sum.outside += one.outside;
          sum.n_inside += one.n_inside;
          sum.n_outside += one.n_outside;
        }
      if (sum.n_inside < kStretch || sum.n_outside < kStretch)
        continue;
      const double inside = sum.inside / sum.n_inside + static_cast<double>(kFaint),
                   outside = sum.outside / sum.n_outside + static_cast<double>(kFaint);
      ratios.push_back(static_cast<float>(inside / outside));
    }
  Fill out;
  if (ratios.empty())
    return out;
  out.detail = static_cast<double>(quantile_of(ratios, 0.5));
  const double own = fine_inside / (coarse_inside + 1e-3),
               beside = fine_outside / (coarse_outside + 1e-3);
  out.noise = own / std::max(beside, 1e-3);
  return out;
}

double repeated_inside(const Picture& take, const Plane& mask) {
  const Size size = with_long_edge(take.width(), take.height(), kRepeatEdge);
  const Plane light = resize(take.channel[0], size.width, size.height),
              held = resize(mask, size.width, size.height);
  Plane detail = blur(light, 0.6f);
  const Plane wide = blur(light, 3.0f);
  for (std::size_t i = 0; i < detail.size(); ++i)
    detail.values[i] -= wide.values[i];
  const int w = size.width, h = size.height;
  const auto inside_share = [&](int left, int top) {
    float sum = 0.0f;
    for (int y = top; y < top + kPatch; ++y)
      for (int x = left; x < left + kPatch; ++x)
        sum += held.at(x, y);
    return sum / static_cast<float>(kPatch * kPatch);
  };
  const auto energy = [&](int left, int top) {
    float sum = 0.0f;
    for (int y = top; y < top + kPatch; ++y)
      for (int x = left; x < left + kPatch; ++x)
        sum += detail.at(x, y) * detail.at(x, y);
    return sum;
  };
  struct Tile {
    int left, top;
    float energy;
  };
  std::vector<Tile> inside, outside;
  for (int top = 0; top + kPatch <= h; top += kPatch / 2)
    for (int left = 0; left + kPatch <= w; left += kPatch / 2)
      if (inside_share(left, top) > 0.95f)
        inside.push_back({left, top, energy(left, top)});
  for (int top = 0; top + kPatch <= h; ++top)
    for (int left = 0; left + kPatch <= w; ++left)
      if (held.at(left, top) < 0.02f && held.at(left + kPatch - 1, top) < 0.02f &&
          held.at(left, top + kPatch - 1) < 0.02f &&
          held.at(left + kPatch - 1, top + kPatch - 1) < 0.02f)
        outside.push_back({left, top, 0.0f});
  const float least = kSmooth * kSmooth * static_cast<float>(kPatch * kPatch);
  inside.erase(std::remove_if(inside.begin(), inside.end(),
                              [&](const Tile& tile) { return tile.energy < least; }),
               inside.end());
  // A dozen tiles say it; more would only take longer.
  if (inside.size() > 12) {
    std::vector<Tile> some;
    for (std::size_t k = 0; k < 12; ++k)
      some.push_back(inside[k * inside.size() / 12]);
    inside = some;
  }
  std::vector<float> found;
  for (const Tile& tile : inside) {
    float best = 0.0f;
    for (const Tile& other : outside) {
      float straight = 0.0f, across = 0.0f, down = 0.0f, own = 0.0f;
      for (int y = 0; y < kPatch; y += 1) {
        const float *a = detail.row(tile.top + y) + tile.left,
                    *b = detail.row(other.top + y) + other.left;
        const float* flipped = detail.row(other.top + kPatch - 1 - y) + other.left;
        for (int x = 0; x < kPatch; ++x) {
          straight += a[x] * b[x];
          across += a[x] * b[kPatch - 1 - x];
          down += a[x] * flipped[x];
          own += b[x] * b[x];
        }
      }
      if (own < least)
        continue;
      best =
          std::max(best, std::max(straight, std::max(across, down)) / std::sqrt(own * tile.energy));
    }
    found.push_back(best);
  }
  return found.empty() ? 0.0 : static_cast<double>(quantile_of(found, 0.5));
}

Change change_inside(const Picture& take, const Picture& reference, const Plane& mask) {
  const Plane held = resize(mask, take.width(), take.height());
  std::array<Plane, 3> apart;
  for (int c = 0; c < 3; ++c) {
    const std::size_t k = static_cast<std::size_t>(c);
    apart[k] = take.channel[c];
    for (std::size_t i = 0; i < apart[k].size(); ++i)
      apart[k].values[i] -= reference.channel[c].values[i];
    apart[k] = blur(apart[k], 2.0f);
  }
  std::vector<float> found;
  double sum = 0.0;
  std::array<double, 3> total{}, squares{};
  for (std::size_t i = 0; i < held.size(); ++i) {
    if (held.values[i] < 0.5f)
      continue;
    for (int c = 0; c < 3; ++c) {
      const double value = take.channel[c].values[i];
      total[static_cast<std::size_t>(c)] += value;
      squares[static_cast<std::size_t>(c)] += value * value;
    }
    const float far = std::sqrt(apart[0].values[i] * apart[0].values[i] +
                                apart[1].values[i] * apart[1].values[i] +
                                apart[2].values[i] * apart[2].values[i]);
    found.push_back(far);
    sum += static_cast<double>(far);
  }
  if (found.empty())
    return {};
  const double n = static_cast<double>(found.size());
  double spread = 0.0;
  for (std::size_t c = 0; c < 3; ++c)
    spread += std::max(0.0, squares[c] / n - total[c] / n * total[c] / n);
  return {sum / n, static_cast<double>(quantile_of(found, 0.9)), std::sqrt(spread)};
}

double strongest_spot(const Plane& difference) {
  const float wide = static_cast<float>(kWidest * std::max(difference.width, difference.height));
  const Plane near = blur(difference, std::max(0.5f, 0.5f * wide));
  return static_cast<double>(*std::max_element(near.values.begin(), near.values.end()));
}

}  // namespace sprenn
