// What a mask's edge shows of itself in a take.
#pragma once
#include <array>

#include "view.h"

namespace sprenn {

struct EdgeSteps {
  // The mean step of lightness and of chroma that the edge has all around, less what lines
  // beside it have, at two widths of the transition: hard and soft.
  std::array<double, 2> light{};
  std::array<double, 2> chroma{};
  // How much larger the differences of neighbouring pixels are across the edge than across
  // lines beside it (their mean), and by what factor.
  double jump = 0.0;
  double jump_ratio = 1.0;
  double length = 0.0;  // of the edge, in pixels of the working size
};
EdgeSteps edge_steps(const Picture& picture, const Plane& mask);

}  // namespace sprenn
