// Views of pictures: R holds them by a pointer, and asks for numbers.
#include <Rcpp.h>

#include <algorithm>
#include <cstdint>
#include <string>
#include <vector>

#include "core/fill.h"
#include "core/marks.h"
#include "core/registration.h"
#include "core/seams.h"
#include "core/view.h"
#include "core/watch.h"
#include "exchange.h"

namespace {

using sprenn::View;
using Handle = Rcpp::XPtr<View>;

// A mask of R's, or none, as what the core takes.
class Weight {
 public:
  explicit Weight(const Rcpp::Nullable<Rcpp::NumericMatrix>& kept) {
    if (kept.isNotNull())
      plane_ = plane_from(Rcpp::NumericMatrix(kept));
  }
  const Plane* get() const { return plane_.size() ? &plane_ : nullptr; }

 private:
  Plane plane_;
};

Handle view_from(const sprenn::ReadRow& read, int own_width, int own_height,
                 const Rcpp::IntegerVector& frame, const Rcpp::IntegerVector& size,
                 const std::string& part) {
  const sprenn::Intake intake = sprenn::take_in(read, own_width, own_height, size[0], size[1]);
  const auto which = part == "decoy"  ? sprenn::Part::decoy
                     : part == "take" ? sprenn::Part::take
                                      : sprenn::Part::reference;
  return Handle(new View(sprenn::view_of(intake, {frame[0], frame[1]}, which)), true);
}

Rcpp::List spot_from(const sprenn::Spot& spot) {
  return Rcpp::List::create(
      Rcpp::_["number"] = spot.number,
      Rcpp::_["cells"] = Rcpp::NumericVector(spot.cells.begin(), spot.cells.end()));
}

sprenn::Placement placement_from(const Rcpp::NumericVector& place) {
  return {place[0], place[1], place[2], place[3]};
}

}  // namespace

// [[Rcpp::export]]
SEXP core_view(Rcpp::NumericVector srgb, Rcpp::IntegerVector frame, Rcpp::IntegerVector size,
               std::string part) {
  const Rcpp::IntegerVector dim = picture_dim(srgb);
  const R_xlen_t h = dim[0], w = dim[1];
  const double* from = srgb.begin();
  const auto read = [=](int y, float* const rows[3], float* const linear[3]) {
    for (R_xlen_t c = 0; c < 3; ++c) {
      for (R_xlen_t x = 0; x < w; ++x)
        rows[c][x] = static_cast<float>(from[(c * w + x) * h + y]);
      std::copy_n(rows[c], w, linear[c]);
      sprenn::linear_row(linear[c], static_cast<int>(w));
    }
  };
  return view_from(read, dim[1], dim[0], frame, size, part);
}

// The same of interleaved bytes, row by row, three a pixel or one.
// [[Rcpp::export]]
SEXP core_view_bytes(Rcpp::RawVector bytes, int width, int height, Rcpp::IntegerVector frame,
                     Rcpp::IntegerVector size, std::string part) {
  const int channels = channels_of(bytes, width, height);
  const Rbyte* from = bytes.begin();
  sprenn::ByteRows rows(width, channels);
  const auto read = [&](int y, float* const srgb[3], float* const linear[3]) {
    rows.read(from + static_cast<R_xlen_t>(y) * width * channels, srgb, linear);
  };
  return view_from(read, width, height, frame, size, part);
}

// Gives a view's memory back now: R doesn't know how much it is, and would wait long.
// [[Rcpp::export]]
void core_let_go(SEXP view) {
  Handle(view).release();
}

// [[Rcpp::export]]
double core_view_size(SEXP view) {
  return static_cast<double>(Handle(view)->bytes());
}

// [[Rcpp::export]]
Rcpp::NumericVector core_view_oklab(SEXP view) {
  return pixels_from(Handle(view)->oklab);
}

// [[Rcpp::export]]
Rcpp::NumericVector core_view_srgb(SEXP view) {
  return pixels_from(sprenn::srgb_from_oklab(Handle(view)->oklab));
}

// [[Rcpp::export]]
Rcpp::List core_view_facts(SEXP view) {
  const Handle own(view);
  Rcpp::NumericVector style = Rcpp::wrap(own->style);
  style.names() = Rcpp::wrap(sprenn::style_names());
  const sprenn::Defects& defects = own->defects;
  return Rcpp::List::create(
      Rcpp::_["own"] = Rcpp::IntegerVector::create(own->own_width, own->own_height),
      Rcpp::_["style"] = style, Rcpp::_["bars"] = bars_from(own->bars),
      Rcpp::_["steps"] = steps_from(own->bars), Rcpp::_["spread"] = own->spread,
      Rcpp::_["blur"] = defects.blur, Rcpp::_["noise"] = sprenn::graininess(defects, defects),
      Rcpp::_["blocks"] = defects.blocks, Rcpp::_["tones"] = own->tones,
      Rcpp::_["burnt"] = spot_from(own->burnt), Rcpp::_["crushed"] = spot_from(own->crushed),
      Rcpp::_["directions"] =
          Rcpp::NumericVector(own->lines.direction.begin(), own->lines.direction.end()));
}

// Of a take with each of the others, a column each. `kept` is rows x columns, 1 where the pictures
// are compared, or NULL.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_likenesses(SEXP take, Rcpp::List others,
                                    Rcpp::Nullable<Rcpp::NumericMatrix> kept) {
  const Weight given(kept);
  sprenn::Weighting weight(given.get());
  const sprenn::Structure& own = Handle(take)->structure;
  Rcpp::NumericMatrix out(5, static_cast<int>(others.size()));
  for (int i = 0; i < out.ncol(); ++i) {
    const auto found = sprenn::likeness_of(own, Handle(others[i])->structure, weight);
    out(0, i) = found.orientation;
    out(1, i) = found.layout;
    out(2, i) = found.correlation;
    out(3, i) = found.information;
    out(4, i) = found.edges;
  }
  Rcpp::rownames(out) = Rcpp::CharacterVector::create("orientation", "layout", "local_correlation",
                                                      "shared_information", "edges");
  return out;
}

// The contours' agreement with the other picture as it would be mirrored.
// [[Rcpp::export]]
double core_mirrored(SEXP take, SEXP other, Rcpp::Nullable<Rcpp::NumericMatrix> kept) {
  const Weight given(kept);
  sprenn::Weighting weight(given.get());
  return sprenn::orientation_agreement(Handle(take)->structure.orientation,
                                       Handle(other)->structure.orientation, weight, true);
}

// [[Rcpp::export]]
double core_registered(SEXP take, SEXP other, Rcpp::Nullable<Rcpp::NumericMatrix> kept) {
  const Weight weight(kept);
  return sprenn::registered_agreement(Handle(take)->structure.orientation,
                                      Handle(other)->structure.orientation, weight.get());
}

// SSIM and multi-scale SSIM; NA for pictures smaller than the window.
// [[Rcpp::export]]
Rcpp::NumericVector core_similarity(SEXP take, SEXP reference) {
  const Handle a(take), b(reference);
  if (a->octaves.empty())
    return Rcpp::NumericVector::create(Rcpp::_["ssim"] = NA_REAL,
                                       Rcpp::_["multi_scale_ssim"] = NA_REAL);
  const auto found = sprenn::similarity_of(a->octaves, b->octaves);
  return Rcpp::NumericVector::create(Rcpp::_["ssim"] = found.single,
                                     Rcpp::_["multi_scale_ssim"] = found.multi);
}

// The same of two pictures of one size as they are (single scale, all channels' luma).
// [[Rcpp::export]]
double core_ssim(Rcpp::NumericVector a, Rcpp::NumericVector b) {
  const auto luma = [](const Rcpp::NumericVector& srgb) {
    const Picture picture = picture_from(srgb);
    Plane out(picture.width(), picture.height());
    for (std::size_t i = 0; i < out.size(); ++i)
      out.values[i] = 0.299f * picture.channel[0].values[i] +
                      0.587f * picture.channel[1].values[i] + 0.114f * picture.channel[2].values[i];
    return sprenn::octaves_of(out, true);
  };
  return sprenn::similarity_of(luma(a), luma(b)).single;
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_distance(Rcpp::NumericMatrix marked, int reach) {
  return matrix_from(sprenn::distance_to(plane_from(marked), reach));
}

// How the take's contents lie in the reference's frame: x, y (from the middle, in
// long edges), zoom, turn (radians, clockwise), and the agreement before and after.
// [[Rcpp::export]]
Rcpp::List core_framing(SEXP take, SEXP reference) {
  const Handle a(take), b(reference);
  const auto found =
      sprenn::find_framing(a->structure.orientation, b->structure.orientation, b->sought);
  const Plane& size = a->structure.orientation[0].cosine;
  return Rcpp::List::create(
      Rcpp::_["place"] = Rcpp::NumericVector::create(found.place.x, found.place.y, found.place.zoom,
                                                     found.place.turn),
      Rcpp::_["found"] = found.found, Rcpp::_["before"] = found.before,
      Rcpp::_["after"] = found.after,
      Rcpp::_["moved"] = sprenn::displacement(found.place, size.width, size.height));
}

// The grain of one picture where the other is plain.
// [[Rcpp::export]]
double core_graininess(SEXP own, SEXP plain) {
  return sprenn::graininess(Handle(own)->defects, Handle(plain)->defects);
}

// How far one picture sways in light and colours where the other is plain, beyond it.
// [[Rcpp::export]]
Rcpp::NumericVector core_blotches(SEXP own, SEXP plain) {
  const auto found = sprenn::blotches_beyond(Handle(own)->sway, Handle(plain)->sway);
  return Rcpp::NumericVector::create(Rcpp::_["light"] = found.light,
                                     Rcpp::_["colour"] = found.colour);
}

// Where a take departs from its reference more than elsewhere: by its contours, and by detail.
// [[Rcpp::export]]
Rcpp::List core_worst_part(SEXP take, SEXP reference) {
  const Handle a(take), b(reference);
  const auto found = sprenn::worst_part(a->structure.orientation, b->structure.orientation);
  return Rcpp::List::create(Rcpp::_["drop"] = found.drop, Rcpp::_["x"] = found.x,
                            Rcpp::_["y"] = found.y,
                            Rcpp::_["uneven"] = sprenn::uneven_detail(a->sway, b->sway));
}

// How busy a picture usually is, and the share of it that is thin lines.
// [[Rcpp::export]]
Rcpp::NumericVector core_usual(SEXP view) {
  const Handle own(view);
  return Rcpp::NumericVector::create(
      Rcpp::_["noise"] = sprenn::usual_grain(own->defects),
      Rcpp::_["light_sway"] = sprenn::usual_blotches(own->sway).light,
      Rcpp::_["colour_sway"] = sprenn::usual_blotches(own->sway).colour,
      Rcpp::_["lines"] = sprenn::line_share(sprenn::thin_marks(own->oklab.channel[0], 2)));
}

// The take's view as its contents lie in the reference's frame, for its structure and parts only.
// [[Rcpp::export]]
SEXP core_brought_back(SEXP take, Rcpp::NumericVector place) {
  View view;
  view.oklab = sprenn::bring_back(Handle(take)->oklab, placement_from(place));
  view.structure = sprenn::structure_of(view.oklab);
  view.sway = sprenn::sway_of(view.oklab);
  return Handle(new View(std::move(view)), true);
}

// 1 where a picture placed so has something to show.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_covered(Rcpp::NumericVector place, int width, int height) {
  return matrix_from(sprenn::covered_by(placement_from(place), width, height));
}

// Mean difference of small copies, OKLab.
// [[Rcpp::export]]
double core_coarse_difference(SEXP take, SEXP other) {
  const Handle a(take), b(other);
  return sprenn::mean_difference(a->coarse, b->coarse);
}

// Mean lightness and colours of 12 x 8 patches, one channel after the other.
// [[Rcpp::export]]
Rcpp::NumericVector core_patches(SEXP view) {
  const Handle own(view);
  Rcpp::NumericVector out;
  for (const Plane& plane : own->coarse.channel)
    for (const float value : sprenn::resize(plane, 12, 8).values)
      out.push_back(static_cast<double>(value));
  return out;
}

// Outlines of the first that the second lacks: as a share, and the largest regions.
// [[Rcpp::export]]
Rcpp::List core_unmatched(SEXP own, SEXP other, Rcpp::Nullable<Rcpp::NumericMatrix> kept) {
  const Weight weight(kept);
  const auto found = sprenn::unmatched_edges(Handle(own)->structure.edges,
                                             Handle(other)->structure.edges, weight.get());
  return Rcpp::List::create(Rcpp::_["share"] = found.share,
                            Rcpp::_["boxes"] = boxes_from(found.regions, found.map, 6));
}

// The largest regions where contours disagree come as boxes.
// [[Rcpp::export]]
Rcpp::List core_agreement_map(SEXP take, SEXP reference) {
  const auto map = sprenn::agreement_map(Handle(take)->structure.orientation,
                                         Handle(reference)->structure.orientation);
  Plane marked(map.agreement.width, map.agreement.height), weight = marked;
  for (std::size_t i = 0; i < marked.size(); ++i) {
    weight.values[i] = map.presence.values[i] * std::max(0.0f, 0.4f - map.agreement.values[i]);
    marked.values[i] = weight.values[i] > 0.1f ? 1.0f : 0.0f;
  }
  return Rcpp::List::create(
      Rcpp::_["agreement"] = matrix_from(map.agreement),
      Rcpp::_["presence"] = matrix_from(map.presence),
      Rcpp::_["boxes"] = boxes_from(sprenn::regions_of(marked, weight), marked, 4));
}

// Agreement times presence as a small picture: between -1 and 1, rows x columns.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_small_agreement(SEXP take, SEXP reference, int width, int height) {
  return matrix_from(sprenn::small_agreement(Handle(take)->structure.orientation,
                                             Handle(reference)->structure.orientation, width,
                                             height));
}

// [[Rcpp::export]]
Rcpp::List core_watched(SEXP take, SEXP reference, Rcpp::NumericMatrix region, double reach) {
  const Handle a(take), b(reference);
  const auto found = sprenn::watch_region(a->structure.orientation, b->structure.orientation,
                                          a->oklab, b->oklab, plane_from(region), reach);
  return Rcpp::List::create(Rcpp::_["agreement"] = found.agreement, Rcpp::_["x"] = found.x,
                            Rcpp::_["y"] = found.y, Rcpp::_["colour"] = found.colour);
}

// [[Rcpp::export]]
Rcpp::List core_residue(SEXP take, SEXP reference) {
  const auto found =
      sprenn::residual_marks(sprenn::thin_marks(Handle(take)->oklab.channel[0]),
                             sprenn::thin_marks(Handle(reference)->oklab.channel[0]));
  return Rcpp::List::create(Rcpp::_["share"] = found.share, Rcpp::_["damage"] = found.damage,
                            Rcpp::_["map"] = matrix_from(found.map));
}

// Which of the reference's narrow marks stayed in the take.
// [[Rcpp::export]]
Rcpp::LogicalVector core_marks_that_stayed(SEXP take, SEXP reference) {
  return Rcpp::wrap(sprenn::marks_that_stayed(Handle(take)->oklab.channel[0],
                                              Handle(reference)->oklab.channel[0]));
}

// Where they lie: columns x and y, in shares of the frame.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_places_of_marks(SEXP reference) {
  const Handle own(reference);
  const Plane& lightness = own->oklab.channel[0];
  const std::vector<int> places = sprenn::places_of_marks(lightness);
  Rcpp::NumericMatrix out(static_cast<int>(places.size()), 2);
  for (std::size_t i = 0; i < places.size(); ++i) {
    out(static_cast<int>(i), 0) = (places[i] % lightness.width + 0.5) / lightness.width;
    out(static_cast<int>(i), 1) = (places[i] / lightness.width + 0.5) / lightness.height;
  }
  return out;
}

// How much of the outlines (of any size; NULL: the picture's own) are thin lines in the picture.
// [[Rcpp::export]]
double core_marked_share(SEXP view, Rcpp::Nullable<Rcpp::NumericMatrix> outlines) {
  const Handle own(view);
  const Weight given(outlines);
  return sprenn::marked_share(sprenn::thin_marks(own->oklab.channel[0], 2),
                              given.get() ? *given.get() : own->structure.edges.thin);
}

// How a mask's edge shows in a picture: steps of the mean colour all around it, hard and
// soft, and how neighbouring pixels differ across it.
// [[Rcpp::export]]
Rcpp::NumericVector core_edge_steps(SEXP picture, Rcpp::NumericMatrix mask) {
  const auto found = sprenn::edge_steps(Handle(picture)->oklab, plane_from(mask));
  return Rcpp::NumericVector::create(
      Rcpp::_["hard_light"] = found.light[0], Rcpp::_["soft_light"] = found.light[1],
      Rcpp::_["hard_chroma"] = found.chroma[0], Rcpp::_["soft_chroma"] = found.chroma[1],
      Rcpp::_["jump"] = found.jump, Rcpp::_["jump_ratio"] = found.jump_ratio,
      Rcpp::_["length"] = found.length);
}

// [[Rcpp::export]]
Rcpp::List core_leak(SEXP take, SEXP reference, Rcpp::NumericMatrix mask) {
  const auto found =
      sprenn::leak_outside(Handle(take)->oklab, Handle(reference)->oklab, plane_from(mask));
  return Rcpp::List::create(Rcpp::_["difference"] = found.difference,
                            Rcpp::_["spot"] = sprenn::strongest_spot(found.map),
                            Rcpp::_["map"] = matrix_from(found.map));
}

// How what lies inside a mask goes with what lies around it.
// [[Rcpp::export]]
Rcpp::NumericVector core_fill(SEXP take, Rcpp::NumericMatrix mask) {
  const auto found = sprenn::fill_detail(Handle(take)->oklab, plane_from(mask));
  return Rcpp::NumericVector::create(Rcpp::_["detail"] = found.detail,
                                     Rcpp::_["noise"] = found.noise);
}

// [[Rcpp::export]]
double core_repeated(SEXP take, Rcpp::NumericMatrix mask) {
  return sprenn::repeated_inside(Handle(take)->oklab, plane_from(mask));
}

// The difference of two pictures inside a mask: its mean, and what the most changed tenth has.
// [[Rcpp::export]]
Rcpp::NumericVector core_change_inside(SEXP take, SEXP reference, Rcpp::NumericMatrix mask) {
  const auto found =
      sprenn::change_inside(Handle(take)->oklab, Handle(reference)->oklab, plane_from(mask));
  return Rcpp::NumericVector::create(Rcpp::_["mean"] = found.mean, Rcpp::_["most"] = found.most,
                                     Rcpp::_["spread"] = found.spread);
}
