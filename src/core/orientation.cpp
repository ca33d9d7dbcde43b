#include "vectorise.h"

#include "orientation.h"

#include <algorithm>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kLongEdge = 384;
constexpr int kScales = 3;
constexpr float kSigma = 1.5f;
constexpr float kNeighbourhood = 8.0f * kSigma;
// Below this step of OKLab per pixel a direction is sensor noise or rounding.
constexpr float kFaintest = 0.002f;
// Below this energy a pixel has no direction at all.
constexpr float kNothing = 1e-12f;

Field field_of(const Picture& oklab) {
  const int w = oklab.width(), h = oklab.height();
  Plane xx(w, h), yy(w, h), xy(w, h);
  for (const Plane& channel : oklab.channel) {
    const Plane smooth = blur(channel, kSigma);
    for (int y = 0; y < h; ++y) {
      const int up = std::max(0, y - 1), down = std::min(h - 1, y + 1);
      for (int x = 0; x < w; ++x) {
        const int left = std::max(0, x - 1), right = std::min(w - 1, x + 1);
        const float gx = 0.5f * (smooth.at(right, y) - smooth.at(left, y));
        const float gy = 0.5f * (smooth.at(x, down) - smooth.at(x, up));
        xx.at(x, y) += gx * gx;
        yy.at(x, y) += gy * gy;
        xy.at(x, y) += gx * gy;
      }
    }
  }
  xx = blur(xx, kSigma);
  yy = blur(yy, kSigma);
  xy = blur(xy, kSigma);

  Plane strength(w, h);
  for (std::size_t i = 0; i < strength.size(); ++i)
    strength.values[i] = std::sqrt(xx.values[i] + yy.values[i]);
  const Plane around = blur_wide(strength, kNeighbourhood);

  Field field{Plane(w, h), Plane(w, h)};
  for (std::size_t i = 0; i < strength.size(); ++i) {
    const float energy = xx.values[i] + yy.values[i];
    if (energy < kNothing) continue;
    const float along = xx.values[i] - yy.values[i];
    const float across = 2.0f * xy.values[i];
    const float clear = 1.0f / energy;
    const float local =
        strength.values[i] / (strength.values[i] + around.values[i] + kFaintest);
    field.cosine.values[i] = along * clear * local;
    field.sine.values[i] = across * clear * local;
  }
  return field;
}

}  // namespace

std::vector<Field> orientation_fields(const Picture& oklab) {
  std::vector<Field> fields;
  for (int scale = 0; scale < kScales; ++scale) {
    const Size size = with_long_edge(oklab.width(), oklab.height(), kLongEdge >> scale);
    fields.push_back(field_of(resize(oklab, size.width, size.height)));
  }
  return fields;
}

}  // namespace sprenn
