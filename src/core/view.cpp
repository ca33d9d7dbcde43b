#include "view.h"

namespace sprenn {

namespace {

std::size_t bytes_of(const Plane& plane) {
  return plane.values.size() * sizeof(float);
}
std::size_t bytes_of(const Picture& picture) {
  return bytes_of(picture.channel[0]) + bytes_of(picture.channel[1]) + bytes_of(picture.channel[2]);
}
std::size_t bytes_of(const std::vector<Plane>& planes) {
  std::size_t sum = 0;
  for (const Plane& plane : planes)
    sum += bytes_of(plane);
  return sum;
}

}  // namespace

Structure structure_of(const Picture& oklab) {
  const Size size = with_long_edge(oklab.width(), oklab.height(), kContourEdge);
  const Picture fine = resize(oklab, size.width, size.height);
  return {orientation_fields(fine), layout_ranks(oklab), tones_of(oklab),
          edges_of(fine.channel[0])};
}

View view_of(const Intake& intake, Size frame, Part part) {
  View view;
  view.oklab = intake.oklab;
  view.own_width = intake.luma.width;
  view.own_height = intake.luma.height;
  view.structure = structure_of(view.oklab);
  if (part == Part::decoy)
    return view;
  view.whole = true;
  view.octaves = octaves_of(resize(intake.luma, frame.width, frame.height));
  view.style = style_vector(view.oklab);
  view.coarse = coarse_copy(view.oklab);
  view.sway = sway_of(view.oklab);
  view.bars = find_bars(view.oklab);
  view.spread = colour_spread(view.oklab);
  view.defects = find_defects(intake.luma);
  view.burnt = intake.burnt;
  view.crushed = intake.crushed;
  view.tones = intake.tones;
  view.lines = find_lines(view.structure.edges, view.structure.orientation[0]);
  if (part == Part::reference)
    view.sought = prepare_search(view.structure.orientation);
  return view;
}

Likeness likeness_of(const Structure& take, const Structure& other, Weighting& weight) {
  return {orientation_agreement(take.orientation, other.orientation, weight),
          layout_agreement(take.layout, other.layout, weight),
          local_correlation(take.tones, other.tones, weight),
          shared_information(take.tones, other.tones, weight),
          edge_agreement(take.edges, other.edges, weight)};
}

std::size_t View::bytes() const {
  std::size_t sum = bytes_of(oklab) + bytes_of(coarse) + structure.layout.size() * sizeof(float) +
                    structure.tones.groups.size() + bytes_of(structure.tones.levels) +
                    bytes_of(structure.tones.sums) + bytes_of(structure.tones.squares) +
                    bytes_of(structure.edges.thin) + bytes_of(structure.edges.distance) +
                    structure.edges.pixels.size() * sizeof(int);
  for (const Field& field : structure.orientation)
    sum += bytes_of(field.cosine) + bytes_of(field.sine);
  for (const Octave& octave : octaves)
    sum += bytes_of(octave.luma) + bytes_of(octave.mean) + bytes_of(octave.square);
  for (const Sought::Pose& pose : sought.poses)
    sum += 2 * pose.spectrum.real.size() * sizeof(float);
  return sum;
}

}  // namespace sprenn
