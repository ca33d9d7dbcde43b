#include "vectorise.h"

#include "shapes.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace sprenn {

namespace {

constexpr double kPi = 3.14159265358979323846;
constexpr int kAngles = 180;          // of a degree each
constexpr double kSpacing = 2.0;      // pixels between lines told apart
constexpr double kShortest = 0.12;    // of the long edge: less is no line
constexpr double kLevelTilt = 12.0;   // degrees that a horizon may tilt
constexpr int kLevels = 5;

constexpr int kFigureEdge = 128;
constexpr float kColourStep = 0.02f;  // per pixel there
constexpr double kSmallest = 0.005;

}  // namespace

Lines find_lines(const Edges& edges, const Field& finest) {
  const int w = edges.thin.width, h = edges.thin.height;
  const double reach = std::hypot(w, h);
  const int cells = static_cast<int>(reach / kSpacing) + 3;
  std::vector<float> votes(static_cast<std::size_t>(kAngles * cells), 0.0f);
  std::vector<std::pair<double, double>> way;
  for (int k = 0; k < kAngles; ++k) way.emplace_back(std::cos(k * kPi / kAngles), std::sin(k * kPi / kAngles));
  // Lines are named by the angle of their normal and their distance from the middle.
  // Rounded to the nearest, of numbers that an addition makes positive.
  const auto nearest_to = [](double value, int more) { return static_cast<int>(value + more + 0.5) - more; };
  for (const int pixel : edges.pixels) {
    const int x = pixel % w, y = pixel / w;
    const double normal = 0.5 * static_cast<double>(std::atan2(finest.sine.at(x, y), finest.cosine.at(x, y)));
    const int nearest = nearest_to(normal * kAngles / kPi, kAngles);
    for (int k = nearest - 2; k <= nearest + 2; ++k) {
      const int angle = k < 0 ? k + kAngles : k >= kAngles ? k - kAngles : k;
      const auto& [c, s] = way[static_cast<std::size_t>(angle)];
      const double distance = (x - 0.5 * w) * c + (y - 0.5 * h) * s;
      const int cell = nearest_to(distance / kSpacing, cells) + cells / 2;
      if (cell > 0 && cell + 1 < cells) votes[static_cast<std::size_t>(angle * cells + cell)] += 1.0f;
    }
  }
  Lines out;
  const double least = kShortest * std::max(w, h);
  const auto at = [&](int angle, int cell) { return static_cast<double>(votes[static_cast<std::size_t>(angle * cells + cell)]); };
  std::vector<std::pair<double, std::pair<int, int>>> level;
  for (int angle = 0; angle < kAngles; ++angle)
    for (int cell = 1; cell + 1 < cells; ++cell) {
      // A line's pixels spread over two cells next to each other.
      const double along = at(angle, cell) + std::max(at(angle, cell - 1), at(angle, cell + 1));
      if (along < least) continue;
      out.direction[static_cast<std::size_t>(((angle + 90) % kAngles) / 3)] += along;
      if (std::abs(angle - 90) <= kLevelTilt) level.push_back({along, {angle, cell}});
    }
  std::stable_sort(level.begin(), level.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  for (const auto& [along, place] : level) {
    if (out.level.size() >= kLevels) break;
    const auto& [c, s] = way[static_cast<std::size_t>(place.first)];
    const double distance = (place.second - cells / 2) * kSpacing;
    const double height = (distance / s + 0.5 * h + 0.5) / h;
    const bool known = std::any_of(out.level.begin(), out.level.end(), [&](const Level& other) { return std::abs(other.height - height) < 0.03; });
    if (!known) out.level.push_back({height, -std::atan2(c, s) * 180.0 / kPi, along / w});
  }
  return out;
}

int count_figures(const Picture& oklab) {
  const Size size = with_long_edge(oklab.width(), oklab.height(), kFigureEdge);
  Picture small = resize(oklab, size.width, size.height);
  for (Plane& plane : small.channel) plane = blur(plane, 0.8f);
  const int w = size.width, h = size.height;
  std::vector<std::pair<int, int>> open;
  Plane figure(w, h, 1.0f);
  const auto reach = [&](int x, int y) {
    if (figure.at(x, y) == 0.0f) return;
    figure.at(x, y) = 0.0f;
    open.emplace_back(x, y);
  };
  for (int x = 0; x < w; ++x) {
    reach(x, 0);
    reach(x, h - 1);
  }
  for (int y = 0; y < h; ++y) {
    reach(0, y);
    reach(w - 1, y);
  }
  while (!open.empty()) {
    const auto [x, y] = open.back();
    open.pop_back();
    const auto step_to = [&](int u, int v) {
      if (u < 0 || v < 0 || u >= w || v >= h) return;
      if (figure.at(u, v) == 0.0f) return;
      float step = 0.0f;
      for (const Plane& plane : small.channel) {
        const float d = plane.at(u, v) - plane.at(x, y);
        step += d * d;
      }
      if (step < kColourStep * kColourStep) reach(u, v);
    };
    step_to(x - 1, y);
    step_to(x + 1, y);
    step_to(x, y - 1);
    step_to(x, y + 1);
  }
  const auto regions = regions_of(figure, figure);
  const double least = kSmallest * w * h;
  return static_cast<int>(std::count_if(regions.begin(), regions.end(), [&](const Region& region) { return region.weight >= least; }));
}

}  // namespace sprenn
