#include "vectorise.h"

#include "watch.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr float kInside = 0.5f;

double agreement_shifted(const Field& take, const Field& reference, const Plane& region, int dx,
                         int dy) {
  const int w = region.width, h = region.height;
  double ab = 0.0, aa = 0.0, bb = 0.0;
  for (int y = 0; y < h; ++y) {
    const int v = std::clamp(y + dy, 0, h - 1);
    for (int x = 0; x < w; ++x) {
      if (region.at(x, y) < kInside)
        continue;
      const int u = std::clamp(x + dx, 0, w - 1);
      const double ac = static_cast<double>(reference.cosine.at(x, y)),
                   as = static_cast<double>(reference.sine.at(x, y));
      const double bc = static_cast<double>(take.cosine.at(u, v)),
                   bs = static_cast<double>(take.sine.at(u, v));
      ab += ac * bc + as * bs;
      aa += ac * ac + as * as;
      bb += bc * bc + bs * bs;
    }
  }
  const double norm = std::sqrt(aa * bb);
  return norm > 0.0 ? ab / norm : 0.0;
}

std::array<double, 3> mean_colour(const Picture& oklab, const Plane& region, double x, double y) {
  const Plane here = resize(region, oklab.width(), oklab.height());
  const double longest = std::max(oklab.width(), oklab.height());
  std::array<double, 3> sum{};
  double n = 0.0;
  for (int v = 0; v < here.height; ++v)
    for (int u = 0; u < here.width; ++u) {
      if (here.at(u, v) < kInside)
        continue;
      const int a = std::clamp(u + static_cast<int>(std::lround(x * longest)), 0, here.width - 1);
      const int b = std::clamp(v + static_cast<int>(std::lround(y * longest)), 0, here.height - 1);
      for (std::size_t c = 0; c < 3; ++c)
        sum[c] += static_cast<double>(oklab.channel[c].at(a, b));
      n += 1.0;
    }
  for (double& value : sum)
    value /= std::max(1.0, n);
  return sum;
}

}  // namespace

Watched watch_region(const std::vector<Field>& take, const std::vector<Field>& reference,
                     const Picture& take_oklab, const Picture& reference_oklab, const Plane& region,
                     double reach) {
  // Sought at the second scale, and judged over all of them where it was found.
  const Plane middle = resize(region, take[1].cosine.width, take[1].cosine.height);
  const int longest = std::max(middle.width, middle.height),
            steps = static_cast<int>(std::lround(reach * longest));
  double best = -2.0;
  int best_x = 0, best_y = 0;
  for (int dy = -steps; dy <= steps; ++dy)
    for (int dx = -steps; dx <= steps; ++dx) {
      // Nearer is likelier: a far place must be clearly better.
      const double far = steps > 0 ? 0.02 * std::hypot(dx, dy) / steps : 0.0;
      const double value = agreement_shifted(take[1], reference[1], middle, dx, dy) - far;
      if (value > best) {
        best = value;
        best_x = dx;
        best_y = dy;
      }
    }
  Watched out;
  out.x = static_cast<double>(best_x) / longest;
  out.y = static_cast<double>(best_y) / longest;
  for (std::size_t k = 0; k < take.size(); ++k) {
    const Plane& plane = take[k].cosine;
    const double edge = std::max(plane.width, plane.height);
    out.agreement +=
        agreement_shifted(take[k], reference[k], resize(region, plane.width, plane.height),
                          static_cast<int>(std::lround(out.x * edge)),
                          static_cast<int>(std::lround(out.y * edge))) /
        static_cast<double>(take.size());
  }
  const auto there = mean_colour(take_oklab, region, out.x, out.y),
             here = mean_colour(reference_oklab, region, 0.0, 0.0);
  out.colour = std::sqrt((there[0] - here[0]) * (there[0] - here[0]) +
                         (there[1] - here[1]) * (there[1] - here[1]) +
                         (there[2] - here[2]) * (there[2] - here[2]));
  return out;
}

}  // namespace sprenn
