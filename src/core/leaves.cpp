#include "leaves.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "random.h"

namespace sprenn {

namespace {

struct Leaf {
  double radius, cx, cy, flat, c, s;
  bool box;
  float colour[3];
};

Leaf draw_leaf(Random& random, bool large, int width, int height) {
  const double longest = std::max(width, height);
  const double largest = 0.35 * longest, smallest = 0.012 * longest;
  Leaf leaf;
  // Density of sizes falls with the third power, drawn by its inverse.
  const double u = random.uniform();
  const double p = u / (largest * largest) + (1.0 - u) / (smallest * smallest);
  leaf.radius = large ? largest * (0.4 + 0.6 * random.uniform()) : 1.0 / std::sqrt(p);
  leaf.cx = random.uniform() * width;
  leaf.cy = random.uniform() * height;
  leaf.box = random.uniform() < 0.4;
  leaf.flat = 0.4 + 0.6 * random.uniform();
  const double turn = random.uniform() < 0.5 ? 0.0 : (random.uniform() - 0.5) * 3.14159;
  leaf.c = std::cos(turn);
  leaf.s = std::sin(turn);
  const double light = 0.15 + 0.75 * random.uniform();
  for (float& value : leaf.colour)
    value = static_cast<float>(std::clamp(light + 0.25 * (random.uniform() - 0.5), 0.0, 1.0));
  return leaf;
}

}  // namespace

Picture dead_leaves(int width, int height, std::uint64_t seed) {
  Random random(seed);
  Picture picture;
  for (Plane& plane : picture.channel)
    plane = Plane(width, height, 0.5f);
  // Large leaves lie underneath: the first ones are drawn larger.
  std::vector<Leaf> leaves;
  for (int i = 0; i < 700; ++i)
    leaves.push_back(draw_leaf(random, i < 60, width, height));
  // The uppermost first: what it covers is settled.
  std::vector<char> covered(static_cast<std::size_t>(width) * height, 0);
  for (auto leaf = leaves.rbegin(); leaf != leaves.rend(); ++leaf) {
    const double radius = leaf->radius;
    const int x0 = std::max(0, static_cast<int>(leaf->cx - 1.5 * radius));
    const int x1 = std::min(width - 1, static_cast<int>(leaf->cx + 1.5 * radius));
    const int y0 = std::max(0, static_cast<int>(leaf->cy - 1.5 * radius));
    const int y1 = std::min(height - 1, static_cast<int>(leaf->cy + 1.5 * radius));
    for (int y = y0; y <= y1; ++y) {
      char* const row = covered.data() + static_cast<std::size_t>(y) * width;
      for (int x = x0; x <= x1; ++x) {
        if (row[x])
          continue;
        const double dx = (x - leaf->cx) * leaf->c + (y - leaf->cy) * leaf->s;
        const double dy = ((y - leaf->cy) * leaf->c - (x - leaf->cx) * leaf->s) / leaf->flat;
        const double reach = leaf->box ? std::max(std::abs(dx), std::abs(dy)) : std::hypot(dx, dy);
        if (reach > radius)
          continue;
        row[x] = 1;
        const float shade = static_cast<float>(1.0 - 0.25 * (dy / radius));
        for (int k = 0; k < 3; ++k)
          picture.channel[k].at(x, y) = std::clamp(leaf->colour[k] * shade, 0.0f, 1.0f);
      }
    }
  }
  return picture;
}

}  // namespace sprenn
