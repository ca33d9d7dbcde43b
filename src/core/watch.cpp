#include "vectorise.h"

#include "watch.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <vector>

namespace sprenn {

namespace {

constexpr float kInside = 0.5f;

// A plane with its border continued outwards by so many pixels on each side.
Plane continued(const Plane& plane, int by) {
  Plane out = Plane::unset(plane.width + 2 * by, plane.height + 2 * by);
  for (int y = 0; y < out.height; ++y) {
    const float* from = plane.row(std::clamp(y - by, 0, plane.height - 1));
    float* to = out.row(y);
    std::fill(to, to + by, from[0]);
    std::copy_n(from, plane.width, to + by);
    std::fill(to + by + plane.width, to + out.width, from[plane.width - 1]);
  }
  return out;
}

// Of one scale, how well a region of the reference agrees with a take at places around.
class ShiftedRegion {
 public:
  // No place is farther than `reach` pixels, either way.
  ShiftedRegion(const Field& take, const Field& reference, const Plane& region, int reach)
      : reference_(reference),
        take_{continued(take.cosine, reach), continued(take.sine, reach)},
        inside_(region),
        reach_(reach) {
    for (float& value : inside_.values)
      value = value < kInside ? 0.0f : 1.0f;
    rows_.resize(static_cast<std::size_t>(region.height));
    for (int y = 0; y < region.height; ++y) {
      const float *begin = inside_.row(y), *end = begin + region.width;
      const float* first = std::find(begin, end, 1.0f);
      const float* last = end;
      while (last > first && last[-1] == 0.0f)
        --last;
      rows_[static_cast<std::size_t>(y)] = {static_cast<int>(first - begin),
                                            static_cast<int>(last - first)};
    }
  }

  double agreement(int dx, int dy) const {
    RowSums sums;
    for (int y = 0; y < inside_.height; ++y) {
      const auto [x, length] = rows_[static_cast<std::size_t>(y)];
      if (length == 0)
        continue;
      const int u = x + dx + reach_, v = y + dy + reach_;
      const RowSums row = sums_of_rows(reference_.cosine.row(y) + x, reference_.sine.row(y) + x,
                                       take_.cosine.row(v) + u, take_.sine.row(v) + u,
                                       inside_.row(y) + x, false, length);
      sums.dot += row.dot;
      sums.a += row.a;
      sums.b += row.b;
    }
    const double norm = std::sqrt(sums.a * sums.b);
    return norm > 0.0 ? sums.dot / norm : 0.0;
  }

 private:
  struct Run {
    int from, length;
  };
  const Field& reference_;
  Field take_;
  Plane inside_;
  int reach_;
  std::vector<Run> rows_;  // from the first pixel inside to the last
};

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
  const ShiftedRegion sought(take[1], reference[1], middle, steps);
  double best = -2.0;
  int best_x = 0, best_y = 0;
  for (int dy = -steps; dy <= steps; ++dy)
    for (int dx = -steps; dx <= steps; ++dx) {
      // Nearer is likelier: a far place must be clearly better.
      const double far = steps > 0 ? 0.02 * std::hypot(dx, dy) / steps : 0.0;
      const double value = sought.agreement(dx, dy) - far;
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
    const int dx = static_cast<int>(std::lround(out.x * edge)),
              dy = static_cast<int>(std::lround(out.y * edge));
    const ShiftedRegion own(take[k], reference[k], resize(region, plane.width, plane.height),
                            std::max(std::abs(dx), std::abs(dy)));
    out.agreement += own.agreement(dx, dy) / static_cast<double>(take.size());
  }
  const auto there = mean_colour(take_oklab, region, out.x, out.y),
             here = mean_colour(reference_oklab, region, 0.0, 0.0);
  out.colour = std::sqrt((there[0] - here[0]) * (there[0] - here[0]) +
                         (there[1] - here[1]) * (there[1] - here[1]) +
                         (there[2] - here[2]) * (there[2] - here[2]));
  return out;
}

}  // namespace sprenn
