// Thin marks: scratches and specks that stayed, guide lines that show through, and
// what happens along the edge of a mask.
#pragma once
#include <vector>

#include "edges.h"
#include "plane.h"

namespace sprenn {

// How far a pixel stands out from both its sides at a distance of `side`, in any of
// four directions; lighter is positive. Lightness at working size.
Plane thin_marks(const Plane& lightness, int side = 3);

// How many of the reference's thin marks are still in the take, 0 to 1, and how much
// of each there is.
struct Residue {
  double share = 0.0;
  double damage = 0.0;  // the share of the reference that is marked at all
  Plane map;
};
Residue residual_marks(const Plane& take, const Plane& reference);

// The share of outline pixels (1 in `outlines`, of any size) on which a thin lighter
// or a thin darker mark lies, whichever is more, beyond the other and beyond what lies
// a few pixels beside them.
double marked_share(const Plane& marks, const Plane& outlines);

// The share of a picture that is thin lines.
double line_share(const Plane& marks);

// For each place where the reference has a light or dark mark of up to 9 px across, in the
// order of the rows: whether the take has one there too, light or dark, of half its height.
std::vector<bool> marks_that_stayed(const Plane& take, const Plane& reference);

// Where these marks lie, as pixels in the order of the rows.
std::vector<int> places_of_marks(const Plane& reference);

// Mean difference (OKLab, smoothed) outside the mask, and where it is.
struct Leak {
  double difference = 0.0;
  Plane map;
};
Leak leak_outside(const Picture& take, const Picture& reference, const Plane& mask);

}  // namespace sprenn
