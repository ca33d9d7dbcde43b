#include "vectorise.h"

#include "shapes.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace sprenn {

namespace {

constexpr double kPi = 3.14159265358979323846;
constexpr int kAngles = 180;        // of a degree each
constexpr double kSpacing = 2.0;    // pixels between lines told apart
constexpr double kShortest = 0.12;  // of the long edge: less is no line

}  // namespace

Lines find_lines(const Edges& edges, const Field& finest) {
  const int w = edges.thin.width, h = edges.thin.height;
  const double reach = std::hypot(w, h);
  const int cells = static_cast<int>(reach / kSpacing) + 3;
  std::vector<float> votes(static_cast<std::size_t>(kAngles * cells), 0.0f);
  std::vector<std::pair<double, double>> way;
  for (int k = 0; k < kAngles; ++k)
    way.emplace_back(std::cos(k * kPi / kAngles), std::sin(k * kPi / kAngles));
  // Lines are named by the angle of their normal and their distance from the middle.
  // Rounded to the nearest, of numbers that an addition makes positive.
  const auto nearest_to = [](double value, int more) {
    return static_cast<int>(value + more + 0.5) - more;
  };
  for (const int pixel : edges.pixels) {
    const int x = pixel % w, y = pixel / w;
    const double normal =
        0.5 * static_cast<double>(std::atan2(finest.sine.at(x, y), finest.cosine.at(x, y)));
    const int nearest = nearest_to(normal * kAngles / kPi, kAngles);
    for (int k = nearest - 2; k <= nearest + 2; ++k) {
      const int angle = k < 0 ? k + kAngles : k >= kAngles ? k - kAngles : k;
      const auto& [c, s] = way[static_cast<std::size_t>(angle)];
      const double distance = (x - 0.5 * w) * c + (y - 0.5 * h) * s;
      const int cell = nearest_to(distance / kSpacing, cells) + cells / 2;
      if (cell > 0 && cell + 1 < cells)
        votes[static_cast<std::size_t>(angle * cells + cell)] += 1.0f;
    }
  }
  Lines out;
  const double least = kShortest * std::max(w, h);
  const auto at = [&](int angle, int cell) {
    return static_cast<double>(votes[static_cast<std::size_t>(angle * cells + cell)]);
  };
  for (int angle = 0; angle < kAngles; ++angle)
    for (int cell = 1; cell + 1 < cells; ++cell) {
      // A line's pixels spread over two cells next to each other.
      const double along = at(angle, cell) + std::max(at(angle, cell - 1), at(angle, cell + 1));
      if (along < least)
        continue;
      out.direction[static_cast<std::size_t>(((angle + 90) % kAngles) / 3)] += along;
    }
  return out;
}

}  // namespace sprenn
