// The straight lines of a picture.
#pragma once
#include <array>

#include "edges.h"
#include "orientation.h"

namespace sprenn {

// How much of a picture's straight lines runs at each angle, in steps of 3 degrees from
// level.
struct Lines {
  std::array<double, 60> direction{};
};
// Votes of outline pixels for lines at their own angle (Hough 1962, Duda and Hart 1972).
Lines find_lines(const Edges& edges, const Field& finest);

}  // namespace sprenn
