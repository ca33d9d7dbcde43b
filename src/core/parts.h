// A picture by its parts, each held against the same part of another: where it is blotchy
// though the other is plain, and where it departs from it more than elsewhere.
#pragma once
#include "orientation.h"
#include "plane.h"

namespace sprenn {

// By cells of 16 px: how far lightness and colours sway within 4 to 16 px, how much contour
// there is, and how much detail the parts around have.
struct Sway {
  Plane light;
  Plane colour;
  Plane contour;
  Plane detail;
};
Sway sway_of(const Picture& oklab);

// The sway of `own` in the plainest fifth of `plain`, less that of `plain` itself there.
struct Blotches {
  double light = 0.0;
  double colour = 0.0;
};
Blotches blotches_beyond(const Sway& own, const Sway& plain);
// The median over all of a picture.
Blotches usual_blotches(const Sway& own);

// How much worse the contours of the worst part agree than those of the usual part, and where
// it lies (shares of width and height). Parts are about a ninth of the long edge.
struct WorstPart {
  double drop = 0.0;
  double x = 0.5;
  double y = 0.5;
};
WorstPart worst_part(const std::vector<Field>& take, const std::vector<Field>& reference);

// How unevenly sharp a take is, as against the reference: the range of the detail that its
// parts kept, as a logarithm. Half a blurred picture is far apart from the other half.
double uneven_detail(const Sway& take, const Sway& reference);

}  // namespace sprenn
