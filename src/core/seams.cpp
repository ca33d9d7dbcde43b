#include "seams.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

namespace sprenn {

namespace {

constexpr int kReach = 36;  // how far from the edge colours are looked at, in pixels of 512
constexpr int kSamples = 2 * kReach + 1;
constexpr std::array<int, 2> kHalfWidths = {2, 6};
constexpr int kTolerance = 2;  // the edge may lie so far from where the mask is half
constexpr int kApart = 4;      // lines beside the edge begin so far beyond its own width
constexpr int kNearest = 5;    // for neighbouring pixels, lines beside it lie from here
constexpr int kFarthest = 12;  // to here
constexpr float kLeastSlope = 0.01f;
constexpr float kSoftening = 2.0f;

using Colour = std::array<double, 3>;

double length_of(const Colour& colour) {
  return std::sqrt(colour[0] * colour[0] + colour[1] * colour[1] + colour[2] * colour[2]);
}

// Mean colours along the way across the edge, from outside to inside, and the mean
// difference of neighbouring pixels on that way.
struct Across {
  std::array<Colour, kSamples> sum{};
  std::array<double, kSamples> neighbours{};
  std::array<double, kSamples> n{};
  double length = 0.0;
};

Across look_across(const Picture& picture, const Plane& mask) {
  const int w = picture.width();
  const int h = picture.height();
  const Plane soft = blur(resize(mask, w, h), kSoftening);
  const Gradient way = gradient_of(soft);
  Across out;
  std::array<Colour, kSamples> line{};
  std::array<bool, kSamples> there{};
  for (int y = 1; y + 1 < h; ++y)
    for (int x = 1; x + 1 < w; ++x) {
      const float own = soft.at(x, y) - 0.5f;
      const float right = soft.at(x + 1, y) - 0.5f;
      const float below = soft.at(x, y + 1) - 0.5f;
      const bool crosses = own * right <= 0.0f || own * below <= 0.0f;
      const float slope = std::hypot(way.across.at(x, y), way.down.at(x, y));
      if (!crosses || slope < kLeastSlope)
        continue;
      out.length += 1.0;
      const float nx = way.across.at(x, y) / slope;
      const float ny = way.down.at(x, y) / slope;
      for (int t = -kReach; t <= kReach; ++t) {
        const std::size_t k = static_cast<std::size_t>(t + kReach);
        const float u = static_cast<float>(x) + static_cast<float>(t) * nx;
        const float v = static_cast<float>(y) + static_cast<float>(t) * ny;
        const bool across = u >= 0.0f && u <= static_cast<float>(w - 1);
        const bool down = v >= 0.0f && v <= static_cast<float>(h - 1);
        there[k] = across && down;
        if (!there[k])
          continue;
        out.n[k] += 1.0;
        for (std::size_t c = 0; c < 3; ++c) {
          line[k][c] = static_cast<double>(sample(picture.channel[c], u, v));
          out.sum[k][c] += line[k][c];
        }
      }
      for (std::size_t k = 1; k + 1 < line.size(); ++k) {
        if (!there[k - 1] || !there[k + 1])
          continue;
        Colour step{};
        for (std::size_t c = 0; c < 3; ++c)
          step[c] = line[k + 1][c] - line[k - 1][c];
        out.neighbours[k] += length_of(step);
      }
    }
  return out;
}

// The step of the mean colours at a place on the way, between so many pixels on both sides.
struct Step {
  double light = 0.0;
  double chroma = 0.0;
};
Step step_at(const Across& across, int place, int half_width) {
  Colour before{};
  Colour after{};
  double n_before = 0.0;
  double n_after = 0.0;
  for (int d = 1; d <= half_width; ++d) {
    const std::size_t out = static_cast<std::size_t>(place - d + kReach);
    const std::size_t in = static_cast<std::size_t>(place + d + kReach);
    n_before += across.n[out];
    n_after += across.n[in];
    for (std::size_t c = 0; c < 3; ++c) {
      before[c] += across.sum[out][c];
      after[c] += across.sum[in][c];
    }
  }
  if (n_before == 0.0 || n_after == 0.0)
    return {};
  Colour step{};
  for (std::size_t c = 0; c < 3; ++c)
    step[c] = after[c] / n_after - before[c] / n_before;
  return {std::abs(step[0]), std::hypot(step[1], step[2])};
}

double neighbours_at(const Across& across, int place) {
  const std::size_t k = static_cast<std::size_t>(place + kReach);
  return across.n[k] > 0.0 ? across.neighbours[k] / across.n[k] : 0.0;
}

// What is largest near the edge, and what is largest on either side of it (their mean): in
// a regular pattern the largest is well above the mean.
template <typename Number>
std::pair<double, double> here_and_beside(int tolerance, int nearest, int farthest,
                                          const Number& number) {
  double here = 0.0;
  for (int place = -tolerance; place <= tolerance; ++place)
    here = std::max(here, number(place));
  double outside = 0.0;
  double inside = 0.0;
  for (int place = nearest; place <= farthest; ++place) {
    outside = std::max(outside, number(-place));
    inside = std::max(inside, number(place));
  }
  return {here, 0.5 * (outside + inside)};
}

double excess(const std::pair<double, double>& found) {
  return found.first - found.second;
}

}  // namespace

EdgeSteps edge_steps(const Picture& picture, const Plane& mask) {
  const Across across = look_across(picture, mask);
  EdgeSteps out;
  out.length = across.length;
  for (std::size_t i = 0; i < kHalfWidths.size(); ++i) {
    const int half = kHalfWidths[i];
    const auto light = [&](int place) { return step_at(across, place, half).light; };
    const auto chroma = [&](int place) { return step_at(across, place, half).chroma; };
    out.light[i] = excess(here_and_beside(kTolerance, half + kApart, kReach - half, light));
    out.chroma[i] = excess(here_and_beside(kTolerance, half + kApart, kReach - half, chroma));
  }
  const auto neighbours = [&](int place) { return neighbours_at(across, place); };
  const auto [here, beside] = here_and_beside(1, kNearest, kFarthest, neighbours);
  out.jump = here - beside;
  out.jump_ratio = beside > 0.0 ? here / beside : 1.0;
  return out;
}

}  // namespace sprenn
