#include "vectorise.h"

#include "registration.h"

#include <algorithm>
#include <cmath>
#include <vector>
#include <cstdlib>

namespace sprenn {

namespace {

double env(const char* n, double d) { const char* v = std::getenv(n); return v ? std::atof(v) : d; }
constexpr float kFaintest = 1e-3f;

// Sums over a part, at one place of the reference and of the take.
struct Sums {
  float dot = 0.0f, take = 0.0f;
};

SPRENN_WIDE Sums part_sums(const Field& take, const Field& reference, const float* energy, int x, int y, int dx, int dy, int w, int h) {
  Sums sums;
  for (int v = y; v < y + h; ++v) {
    const float *rc = reference.cosine.row(v) + x, *rs = reference.sine.row(v) + x;
    const float *tc = take.cosine.row(v + dy) + x + dx, *ts = take.sine.row(v + dy) + x + dx;
    const float* te = energy + static_cast<std::ptrdiff_t>(v + dy) * take.cosine.width + x + dx;
    float dot = 0.0f, sum = 0.0f;
    for (int u = 0; u < w; ++u) {
      dot += rc[u] * tc[u] + rs[u] * ts[u];
      sum += te[u];
    }
    sums.dot += dot;
    sums.take += sum;
  }
  return sums;
}

Plane energy_of(const Field& field) {
  Plane out = Plane::unset(field.cosine.width, field.cosine.height);
  for (std::size_t i = 0; i < out.size(); ++i)
    out.values[i] = field.cosine.values[i] * field.cosine.values[i] + field.sine.values[i] * field.sine.values[i];
  return out;
}

}  // namespace

double registered_agreement(const std::vector<Field>& take, const std::vector<Field>& reference, const Plane* weight) {
  const std::size_t lev = static_cast<std::size_t>(env("REG_LEVEL", 2));
  const int kCell = static_cast<int>(env("REG_CELL", 12)), kStride = kCell / 2, kReach = static_cast<int>(env("REG_REACH", 6));
  const float kTolerance = static_cast<float>(env("REG_TOL", 2)), kappa = static_cast<float>(env("REG_KAPPA", 0.6));
  struct Cell { double presence, best, near; };
  std::vector<Cell> cells;
  const Field &a = take[lev], &b = reference[lev];
  const int w = b.cosine.width, h = b.cosine.height;
  const Plane take_energy = energy_of(a), reference_energy = energy_of(b);
  const Plane kept = weight ? resize(*weight, w, h) : Plane();
  float nearness[32][32];
  for (int dy = -kReach; dy <= kReach; ++dy)
    for (int dx = -kReach; dx <= kReach; ++dx)
      nearness[dy + kReach][dx + kReach] = std::exp(-0.5f * static_cast<float>(dx * dx + dy * dy) / (kTolerance * kTolerance));
  double found = 0.0, sought = 0.0;
  for (int y = 0; y < h; y += kStride)
    for (int x = 0; x < w; x += kStride) {
      const int width = std::min(kCell, w - x), height = std::min(kCell, h - y);
      if ((width < kStride || height < kStride) && (w > kStride && h > kStride)) continue;
      float own = 0.0f, counts = 0.0f;
      for (int v = y; v < y + height; ++v)
        for (int u = x; u < x + width; ++u) {
          own += reference_energy.at(u, v);
          counts += weight ? kept.at(u, v) : 1.0f;
        }
      const float area = static_cast<float>(width * height);
      counts /= area;
      if (counts < 0.5f) continue;
      float best = 0.0f, best_near = 0.0f;
      for (int dy = -kReach; dy <= kReach; ++dy)
        for (int dx = -kReach; dx <= kReach; ++dx) {
          if (x + dx < 0 || y + dy < 0 || x + dx + width > w || y + dy + height > h) continue;
          const Sums sums = part_sums(a, b, take_energy.values.data(), x, y, dx, dy, width, height);
          const float cosine = sums.dot / (std::sqrt(sums.take * own) + kFaintest * area);
          best = std::max(best, cosine);
          best_near = std::max(best_near, cosine * nearness[dy + kReach][dx + kReach]);
        }
      const double presence = std::sqrt(static_cast<double>(own / area)) * static_cast<double>(counts);
      cells.push_back({presence, best, best_near});
    }
  double all = 0.0, typical = 0.0;
  std::vector<Cell> sorted = cells;
  std::sort(sorted.begin(), sorted.end(), [](const Cell& p, const Cell& q) { return p.best < q.best; });
  for (const Cell& c : sorted) all += c.presence;
  double run = 0.0;
  for (const Cell& c : sorted) { run += c.presence; if (run >= 0.5 * all) { typical = c.best; break; } }
  for (const Cell& c : cells) { found += c.presence * c.near; sought += c.presence * std::max(c.best, kappa * typical); }
  return sought > 0.0 ? found / sought : 0.0;
}

}  // namespace sprenn
