// What stands out in a picture: straight lines, the horizon, separate figures.
#pragma once
#include <array>
#include <vector>

#include "edges.h"
#include "orientation.h"

namespace sprenn {

// Straight lines by direction: how much of them runs at each angle, in steps of
// 3 degrees from level, and the strongest nearly level ones.
struct Level {
  double height;   // where it crosses the middle column, 0 top to 1 bottom
  double tilt;     // degrees, positive where it falls to the right
  double length;   // outline on it, as a share of the width
};
struct Lines {
  std::array<double, 60> direction{};
  std::vector<Level> level;
};
// Votes of outline pixels for lines at their own angle (Hough 1962, Duda and Hart 1972).
Lines find_lines(const Edges& edges, const Field& finest);

// How many separate parts of at least half a percent of the picture stand against
// what can be reached from its border without a step in colour.
int count_figures(const Picture& oklab);

}  // namespace sprenn
