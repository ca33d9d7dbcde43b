// How contents are placed in a frame, and the climb to where two fields agree best.
#pragma once
#include <cmath>
#include <cstddef>
#include <vector>

#include "orientation.h"

namespace sprenn {

// A point at p of the reference, from the middle and in long edges, is found in
// the take at zoom * turned(p) + (x, y); the turn is clockwise, in radians.
struct Placement {
  double x = 0.0;
  double y = 0.0;
  double zoom = 1.0;
  double turn = 0.0;
};

// The mean way that a point goes, over the frame of the given aspect, in long edges.
double displacement(const Placement& place, int width, int height);

struct Point {
  double x;
  double y;
};
// Where a placement takes points; its turn is worked out once.
class Placer {
 public:
  explicit Placer(const Placement& place)
      : c_(place.zoom * std::cos(place.turn)),
        s_(place.zoom * std::sin(place.turn)),
        x_(place.x),
        y_(place.y) {}
  Point operator()(double x, double y) const {
    return {c_ * x - s_ * y + x_, s_ * x + c_ * y + y_};
  }

 private:
  double c_, s_, x_, y_;
};

// A pixel's middle in long edges from the frame's middle, and back.
inline double from_middle(int i, int n, double longest) {
  return (i + 0.5 - 0.5 * n) / longest;
}
inline double to_pixel(double p, int n, double longest) {
  return p * longest + 0.5 * n - 0.5;
}

// The least and the most that contents are looked for enlarged.
constexpr double kLeastZoom = 0.45;
constexpr double kMostZoom = 2.2;

constexpr std::size_t kTerrain = 8;  // numbers a pixel, of which two are padding

// A take's field with its slopes, pixel by pixel: cosine, sine, and each one's slope
// across and down, in long edges.
struct Terrain {
  int width, height;
  std::vector<float> pixels;
};
Terrain terrain_of(const Field& field);

// The agreement of a take's field, placed so, with the reference's; -1 where too little of the
// frame is covered.
double agreement_at(const Terrain& take, const Field& reference, const Placement& place);

// Steps uphill from a placement until they no longer help.
Placement climb(const Terrain& take, const Field& reference, Placement place, int steps);

}  // namespace sprenn
