#include "vectorise.h"

#include "registration.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>

namespace sprenn {

namespace {

constexpr int kCell =
    20;  // a part's side, in pixels of the coarse field; it overlaps half of the next
constexpr int kWidest = 4 * kCell;  // a part in the fine field is about twice as wide
constexpr int kReach = 6;           // how far it is looked for there: 6 % of the long edge
constexpr int kFineReach = 2;       // and in the fine field, around the place found and its own
// A part may lie this far from its place, in pixels of the fine field, and count 0.6.
constexpr float kTolerance = 2.0f;
constexpr float kFaintest = 1e-3f;
// A part that is found less well than this share of what is usual in the take is lost.
constexpr double kLost = 0.75;
// What is usual is read at this share of all parts, by presence and from the worst found up.
constexpr double kUsual = 0.75;

struct Box {
  int x, y, width, height;
  float area() const { return static_cast<float>(width * height); }
};

// Sums of a plane over any box (a summed-area table, Crow 1984).
class Sums {
 public:
  explicit Sums(const Plane& plane) : across_(static_cast<std::size_t>(plane.width) + 1) {
    below_.assign(across_ * (static_cast<std::size_t>(plane.height) + 1), 0.0);
    for (int y = 0; y < plane.height; ++y) {
      const float* row = plane.row(y);
      double sum = 0.0;
      for (int x = 0; x < plane.width; ++x) {
        sum += static_cast<double>(row[x]);
        below_[at(x + 1, y + 1)] = below_[at(x + 1, y)] + sum;
      }
    }
  }

  float in(const Box& box) const {
    const int right = box.x + box.width, bottom = box.y + box.height;
    const double sum = (below_[at(right, bottom)] - below_[at(box.x, bottom)]) -
                       (below_[at(right, box.y)] - below_[at(box.x, box.y)]);
    return static_cast<float>(std::max(0.0, sum));
  }

  // Of the whole plane.
  double all() const { return below_.back(); }

 private:
  std::size_t at(int x, int y) const {
    return static_cast<std::size_t>(y) * across_ + static_cast<std::size_t>(x);
  }
  std::size_t across_;
  std::vector<double> below_;
};

// Both pictures' fields of one scale, with what each part of them has of contours.
struct Scale {
  const Field& take;
  const Field& reference;
  Sums take_energy;
  Sums reference_energy;
  int width() const { return reference.cosine.width; }
  int height() const { return reference.cosine.height; }
};

struct Way {
  int x, y;
};

struct Found {
  float agreement = 0.0f;
  Way way{0, 0};
};

Sums energy_of(const Field& field) {
  Plane out = Plane::unset(field.cosine.width, field.cosine.height);
  for (std::size_t i = 0; i < out.size(); ++i)
    out.values[i] = field.cosine.values[i] * field.cosine.values[i] +
                    field.sine.values[i] * field.sine.values[i];
  return Sums(out);
}

// Of the vectors of two boxes the products, summed column by column.
SPRENN_WIDE void add_products(float* out, const Field& take, const Field& reference, const Box& box,
                              Way way) {
  for (int y = box.y; y < box.y + box.height; ++y) {
    const float *ac = take.cosine.row(y + way.y) + box.x + way.x,
                *as = take.sine.row(y + way.y) + box.x + way.x;
    const float *bc = reference.cosine.row(y) + box.x, *bs = reference.sine.row(y) + box.x;
    SPRENN_APART
    for (int x = 0; x < box.width; ++x)
      out[x] += ac[x] * bc[x] + as[x] * bs[x];
  }
}

// The cosine of a part of the reference and the part of the take that lies `way` from it.
float agreement_at(const Scale& scale, const Box& box, Way way, float own) {
  std::array<float, kWidest> by_column{};
  add_products(by_column.data(), scale.take, scale.reference, box, way);
  float dot = 0.0f;
  for (int x = 0; x < box.width; ++x)
    dot += by_column[static_cast<std::size_t>(x)];
  const float energy = scale.take_energy.in({box.x + way.x, box.y + way.y, box.width, box.height});
  return dot / (std::sqrt(energy * own) + kFaintest * box.area());
}

bool lies_inside(const Scale& scale, const Box& box, Way way) {
  return box.x + way.x >= 0 && box.y + way.y >= 0 && box.x + way.x + box.width <= scale.width() &&
         box.y + way.y + box.height <= scale.height();
}

// The best place of a part within `reach` of `from`.
Found search(const Scale& scale, const Box& box, float own, Way from, int reach) {
  Found best;
  for (int y = from.y - reach; y <= from.y + reach; ++y)
    for (int x = from.x - reach; x <= from.x + reach; ++x) {
      if (!lies_inside(scale, box, {x, y}))
        continue;
      const float agreement = agreement_at(scale, box, {x, y}, own);
      if (agreement > best.agreement)
        best = {agreement, {x, y}};
    }
  return best;
}

float nearness(Way way) {
  return std::exp(-0.5f * static_cast<float>(way.x * way.x + way.y * way.y) /
                  (kTolerance * kTolerance));
}

// The same part in the fine field.
Box in_fine(const Box& box, const Scale& coarse, const Scale& fine) {
  const auto along = [](int at, int from, int to) { return at * to / std::max(1, from); };
  const int left = along(box.x, coarse.width(), fine.width()),
            top = along(box.y, coarse.height(), fine.height());
  const int right = along(box.x + box.width, coarse.width(), fine.width()),
            bottom = along(box.y + box.height, coarse.height(), fine.height());
  return {left, top, std::max(1, right - left), std::max(1, bottom - top)};
}

struct Part {
  double presence = 0.0;  // how much contour the reference has there
  double here = 0.0;      // how well it is found where it was
  double anywhere = 0.0;  // and at its best place
};

// What is usual where a part is found well: an upper quartile of `anywhere`, by presence.
double usual_agreement(std::vector<Part> parts) {
  double all = 0.0, below = 0.0;
  for (const Part& part : parts)
    all += part.presence;
  std::sort(parts.begin(), parts.end(),
            [](const Part& p, const Part& q) { return p.anywhere < q.anywhere; });
  for (const Part& part : parts) {
    below += part.presence;
    if (below >= kUsual * all)
      return part.anywhere;
  }
  return 0.0;
}

}  // namespace

double registered_agreement(const std::vector<Field>& take, const std::vector<Field>& reference,
                            const Plane* weight) {
  const Scale coarse{take[2], reference[2], energy_of(take[2]), energy_of(reference[2])};
  const Scale fine{take[1], reference[1], energy_of(take[1]), energy_of(reference[1])};
  const Sums kept(weight ? resize(*weight, coarse.width(), coarse.height()) : Plane());
  const int w = coarse.width(), h = coarse.height(), across = std::min(kCell, w),
            down = std::min(kCell, h);
  std::vector<Part> parts;
  for (int top = 0; top == 0 || top + kCell / 2 < h; top += kCell / 2)
    for (int left = 0; left == 0 || left + kCell / 2 < w; left += kCell / 2) {
      const Box box{std::min(left, w - across), std::min(top, h - down), across, down};
      const double share = weight ? static_cast<double>(kept.in(box) / box.area()) : 1.0;
      if (share < 0.5)
        continue;
      const float own = coarse.reference_energy.in(box);
      const Box close = in_fine(box, coarse, fine);
      const float own_close = fine.reference_energy.in(close);
      const Found rough = search(coarse, box, own, {0, 0}, kReach);
      const Found here = search(fine, close, own_close, {0, 0}, kFineReach);
      const bool stayed = rough.way.x == 0 && rough.way.y == 0;
      const Found there =
          stayed ? here
                 : search(fine, close, own_close, {2 * rough.way.x, 2 * rough.way.y}, kFineReach);
      Part part;
      part.presence = share * std::sqrt(static_cast<double>(own / box.area()));
      part.here = static_cast<double>(here.agreement * nearness(here.way));
      part.anywhere = static_cast<double>(std::max(here.agreement, there.agreement));
      parts.push_back(part);
    }
  const double least = kLost * usual_agreement(parts);
  double found = 0.0, sought = 0.0;
  for (const Part& part : parts) {
    found += part.presence * part.here;
    sought += part.presence * std::max(part.anywhere, least);
  }
  if (sought > 0.0)
    return found / sought;
  // Where neither has any contour none has moved; where only one has, none was found.
  const double pixels = std::max(1, w * h);
  return (coarse.take_energy.all() + coarse.reference_energy.all()) / pixels > kFaintest * kFaintest
             ? 0.0
             : 1.0;
}

}  // namespace sprenn
