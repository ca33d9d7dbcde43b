#include "vectorise.h"

#include "parts.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace sprenn {

namespace {

constexpr int kCell = 16;
constexpr float kFinest = 2.0f, kCoarsest = 7.0f;  // what a sway lies between, as sigmas
constexpr double kPlainShare = 0.2;
constexpr float kPart = 1.0f / 9.0f;  // a part's size, in long edges
constexpr double kSpoken = 0.35;      // parts with less contour than this share of all say nothing
constexpr double kWorst = 0.01;
constexpr float kFaint = 0.002f;

Plane by_cells(const Plane& plane) {
  return resize(plane, std::max(1, plane.width / kCell), std::max(1, plane.height / kCell));
}

// What is left between both blurs, at half the size, where they cost much less.
Plane sway_squared(const Plane& plane) {
  const Plane half = resize(plane, std::max(1, plane.width / 2), std::max(1, plane.height / 2));
  Plane out = blur(half, 0.5f * kFinest);
  const Plane wide = blur(half, 0.5f * kCoarsest);
  for (std::size_t i = 0; i < out.size(); ++i) {
    const float rest = out.values[i] - wide.values[i];
    out.values[i] = rest * rest;
  }
  return resize(out, std::max(1, plane.width / kCell), std::max(1, plane.height / kCell));
}

// How much detail the parts have.
Plane detail_of(const Plane& lightness) {
  Plane out = blur(lightness, 0.8f);
  for (std::size_t i = 0; i < out.size(); ++i)
    out.values[i] = std::abs(lightness.values[i] - out.values[i]);
  const Plane cells = by_cells(out);
  return blur(cells, std::max(0.5f, kPart / 2.5f *
                                        static_cast<float>(std::max(cells.width, cells.height))));
}

void take_roots(Plane& plane) {
  for (float& value : plane.values)
    value = std::sqrt(std::max(value, 0.0f));
}

double middle(const Values& values) {
  return values.empty() ? 0.0 : static_cast<double>(quantile_of(values, 0.5));
}

}  // namespace

Sway sway_of(const Picture& oklab) {
  Sway out{sway_squared(oklab.channel[0]), sway_squared(oklab.channel[1]), Plane(),
           detail_of(oklab.channel[0])};
  const Plane blue = sway_squared(oklab.channel[2]);
  for (std::size_t i = 0; i < blue.size(); ++i)
    out.colour.values[i] = std::max(out.colour.values[i], blue.values[i]);
  take_roots(out.light);
  take_roots(out.colour);
  out.contour = by_cells(length_of(gradient_of(blur(oklab.channel[0], 1.5f))));
  return out;
}

Blotches blotches_beyond(const Sway& own, const Sway& plain) {
  const float plainest = quantile_of(plain.contour.values, kPlainShare);
  Values light, colour, light_before, colour_before;
  for (std::size_t i = 0; i < plain.contour.size() && i < own.light.size(); ++i) {
    if (plain.contour.values[i] > plainest)
      continue;
    light.push_back(own.light.values[i]);
    colour.push_back(own.colour.values[i]);
    light_before.push_back(plain.light.values[i]);
    colour_before.push_back(plain.colour.values[i]);
  }
  return {middle(light) - middle(light_before), middle(colour) - middle(colour_before)};
}

Blotches usual_blotches(const Sway& own) {
  return {middle(own.light.values), middle(own.colour.values)};
}

WorstPart worst_part(const std::vector<Field>& take, const std::vector<Field>& reference) {
  WorstPart out;
  const Field &a = take[1], &b = reference[1];
  const int w = b.cosine.width, h = b.cosine.height;
  Plane dot = Plane::unset(w, h), own = dot, other = dot;
  for (std::size_t i = 0; i < dot.size(); ++i) {
    const float ac = a.cosine.values[i], as = a.sine.values[i], bc = b.cosine.values[i],
                bs = b.sine.values[i];
    dot.values[i] = ac * bc + as * bs;
    own.values[i] = ac * ac + as * as;
    other.values[i] = bc * bc + bs * bs;
  }
  const float sigma = std::max(1.0f, kPart / 2.5f * static_cast<float>(std::max(w, h)));
  dot = blur_wide(dot, sigma);
  own = blur_wide(own, sigma);
  other = blur_wide(other, sigma);
  const float spoken = quantile_of(other.values, kSpoken);
  Values agreed;
  float least = 2.0f;
  std::size_t at = 0;
  for (std::size_t i = 0; i < dot.size(); ++i) {
    if (other.values[i] < spoken || other.values[i] < 1e-4f)
      continue;
    const float agreement =
        dot.values[i] / (std::sqrt(std::max(own.values[i] * other.values[i], 0.0f)) + kFaint);
    agreed.push_back(agreement);
    if (agreement < least) {
      least = agreement;
      at = i;
    }
  }
  if (agreed.empty())
    return out;
  const double usual = static_cast<double>(quantile_of(agreed, 0.5));
  out.drop = std::max(0.0, usual - static_cast<double>(quantile_of(agreed, kWorst)));
  out.x = (static_cast<double>(at % static_cast<std::size_t>(w)) + 0.5) / w;
  out.y = (static_cast<double>(at / static_cast<std::size_t>(w)) + 0.5) / h;
  return out;
}

double uneven_detail(const Sway& take, const Sway& reference) {
  const Plane &own = take.detail, &other = reference.detail;
  Values kept;
  const float spoken = quantile_of(other.values, 0.3);
  for (std::size_t i = 0; i < own.size(); ++i) {
    if (other.values[i] < spoken || other.values[i] < 0.001f)
      continue;
    kept.push_back(
        std::log((std::max(own.values[i], 0.0f) + 0.0005f) / (other.values[i] + 0.0005f)));
  }
  if (kept.size() < 8)
    return 0.0;
  return static_cast<double>(quantile_of(kept, 0.75) - quantile_of(kept, 0.08));
}

}  // namespace sprenn
