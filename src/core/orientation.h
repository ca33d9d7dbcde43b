// The directions of a picture's contours, whatever their contrast and colour.
#pragma once
#include <vector>

#include "plane.h"

namespace sprenn {

// One scale of a double-angle field: a contour at angle t is held as
// (cos 2t, sin 2t) times how clearly and how strongly it stands out locally,
// so that a contour and its negative are the same.
struct Field {
  Plane cosine;
  Plane sine;
};

// Fields at contour widths of about 1.5, 3 and 6 px of a long edge of 384 px.
std::vector<Field> orientation_fields(const Picture& oklab);

}  // namespace sprenn
