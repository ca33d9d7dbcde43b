#include "leaves.h"

#include <algorithm>
#include <cmath>

#include "random.h"

namespace sprenn {

Picture dead_leaves(int width, int height, std::uint64_t seed) {
  Random random(seed);
  Picture picture;
  for (Plane& plane : picture.channel) plane = Plane(width, height, 0.5f);
  const double longest = std::max(width, height);
  const double largest = 0.35 * longest, smallest = 0.012 * longest;
  for (int leaf = 0; leaf < 700; ++leaf) {
    // Density of sizes falls with the third power, drawn by its inverse.
    const double u = random.uniform();
    const double p = u / (largest * largest) + (1.0 - u) / (smallest * smallest);
    // Large leaves lie underneath: the first ones are drawn larger.
    const double radius = leaf < 60 ? largest * (0.4 + 0.6 * random.uniform()) : 1.0 / std::sqrt(p);
    const double cx = random.uniform() * width, cy = random.uniform() * height;
    const bool box = random.uniform() < 0.4;
    const double flat = 0.4 + 0.6 * random.uniform();
    const double turn = random.uniform() < 0.5 ? 0.0 : (random.uniform() - 0.5) * 3.14159;
    const double c = std::cos(turn), s = std::sin(turn);
    float colour[3];
    const double light = 0.15 + 0.75 * random.uniform();
    for (float& value : colour)
      value = static_cast<float>(std::clamp(light + 0.25 * (random.uniform() - 0.5), 0.0, 1.0));
    const int x0 = std::max(0, static_cast<int>(cx - 1.5 * radius));
    const int x1 = std::min(width - 1, static_cast<int>(cx + 1.5 * radius));
    const int y0 = std::max(0, static_cast<int>(cy - 1.5 * radius));
    const int y1 = std::min(height - 1, static_cast<int>(cy + 1.5 * radius));
    for (int y = y0; y <= y1; ++y)
      for (int x = x0; x <= x1; ++x) {
        const double dx = (x - cx) * c + (y - cy) * s;
        const double dy = ((y - cy) * c - (x - cx) * s) / flat;
        const double reach = box ? std::max(std::abs(dx), std::abs(dy)) : std::hypot(dx, dy);
        if (reach > radius) continue;
        const float shade = static_cast<float>(1.0 - 0.25 * (dy / radius));
        for (int k = 0; k < 3; ++k)
          picture.channel[k].at(x, y) = std::clamp(colour[k] * shade, 0.0f, 1.0f);
      }
  }
  return picture;
}

}  // namespace sprenn
