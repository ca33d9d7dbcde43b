// All that the measures need of one picture, worked out once.
#pragma once
#include <memory>
#include <vector>

#include "colour.h"
#include "defects.h"
#include "edges.h"
#include "flaws.h"
#include "framing.h"
#include "layout.h"
#include "orientation.h"
#include "parts.h"
#include "shapes.h"
#include "ssim.h"
#include "style.h"
#include "tones.h"

namespace sprenn {

// What a picture's layout is compared by. Decoys need no more.
struct Structure {
  std::vector<Field> orientation;
  std::vector<float> layout;
  Tones tones;
  Edges edges;
};
Structure structure_of(const Picture& oklab);

struct View {
  Picture oklab;  // at working size
  Structure structure;
  // Of a picture that is seen as a whole:
  bool whole = false;
  int own_width = 0;  // of the picture as it came
  int own_height = 0;
  Octaves octaves;
  std::vector<double> style;
  Picture coarse;
  Sway sway;
  Bars bars;
  double spread = 0.0;
  Defects defects;
  Spot burnt;
  Spot crushed;
  double tones = 0.0;
  Lines lines;
  // Of a reference:
  Sought sought;

  std::size_t bytes() const;
};

// `frame` is the size in which a case is compared: luma is brought there for SSIM.
enum class Part { decoy, take, reference };
View view_of(const Intake& intake, Size frame, Part part);

// Agreement of two structures of one size where `weight` says, each from chance (about 0) to 1.
struct Likeness {
  double orientation, layout, correlation, information, edges;
};
Likeness likeness_of(const Structure& take, const Structure& other, Weighting& weight);

}  // namespace sprenn
