// How one picture's contents lie in another's frame: shifted, zoomed, turned.
#pragma once
#include <vector>

#include "orientation.h"
#include "placing.h"

namespace sprenn {

struct Spectrum {
  std::vector<float> real;
  std::vector<float> imaginary;
};

// A reference made ready to be found: its spectrum at several zooms and turns.
struct Sought {
  struct Pose {
    double zoom;
    double turn;
    double norm;
    Spectrum spectrum;
  };
  std::vector<Pose> poses;
};
Sought prepare_search(const std::vector<Field>& reference);

// The placement at which the orientation fields agree best. It is kept only if it
// explains the picture clearly better than standing still does: `found` says so.
// `before` and `after` are the agreements (of the second scale) of the two.
struct Framing {
  Placement place;
  bool found = false;
  double before = 0.0;
  double after = 0.0;
};
Framing find_framing(const std::vector<Field>& take, const std::vector<Field>& reference,
                     const Sought& sought);

// The take brought back into the reference's frame, and where it has anything to show.
Picture bring_back(const Picture& take, const Placement& place);
Plane covered_by(const Placement& place, int width, int height);

}  // namespace sprenn
