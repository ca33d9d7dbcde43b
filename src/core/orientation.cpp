#include "vectorise.h"

#include "orientation.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kScales = 3;
constexpr float kSigma = 1.5f;
constexpr float kNeighbourhood = 8.0f * kSigma;
// Below this step of OKLab per pixel a direction is sensor noise or rounding.
constexpr float kFaintest = 0.002f;
// Below this energy a pixel has no direction at all.
constexpr float kNothing = 1e-12f;

// The tensor of three gradients: their products xx - yy, 2 xy, and xx + yy, added up.
SPRENN_WIDE void tensor_row(float* along, float* across, float* energy,
                            const std::array<Values, 3>& gx, const std::array<Values, 3>& gy,
                            int n) {
  const float *x0 = gx[0].data(), *x1 = gx[1].data(), *x2 = gx[2].data();
  const float *y0 = gy[0].data(), *y1 = gy[1].data(), *y2 = gy[2].data();
  SPRENN_APART
  for (int i = 0; i < n; ++i) {
    along[i] = (x0[i] * x0[i] - y0[i] * y0[i]) + (x1[i] * x1[i] - y1[i] * y1[i]) +
               (x2[i] * x2[i] - y2[i] * y2[i]);
    across[i] = 2.0f * (x0[i] * y0[i] + x1[i] * y1[i] + x2[i] * y2[i]);
    energy[i] = (x0[i] * x0[i] + y0[i] * y0[i]) + (x1[i] * x1[i] + y1[i] * y1[i]) +
                (x2[i] * x2[i] + y2[i] * y2[i]);
  }
}

SPRENN_WIDE void square_roots(float* out, const float* in, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i)
    out[i] = std::sqrt(std::max(in[i], 0.0f));
}

SPRENN_WIDE void normalise(float* along, float* across, const float* energy, const float* around,
                           std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    const float strength = std::sqrt(std::max(energy[i], 0.0f));
    const float local = strength / (strength + std::max(around[i], 0.0f) + kFaintest);
    const float by = energy[i] < kNothing ? 0.0f : local / std::max(energy[i], kNothing);
    along[i] *= by;
    across[i] *= by;
  }
}

Field field_of(const Picture& oklab) {
  const int w = oklab.width(), h = oklab.height();
  const std::array<Plane, 3> smooth = {blur(oklab.channel[0], kSigma),
                                       blur(oklab.channel[1], kSigma),
                                       blur(oklab.channel[2], kSigma)};
  Plane along = Plane::unset(w, h), across = Plane::unset(w, h), energy = Plane::unset(w, h);
  std::array<Values, 3> gx, gy;
  for (std::size_t c = 0; c < 3; ++c) {
    gx[c].resize(static_cast<std::size_t>(w));
    gy[c].resize(static_cast<std::size_t>(w));
  }
  for (int y = 0; y < h; ++y) {
    for (std::size_t c = 0; c < 3; ++c)
      gradient_row(smooth[c], y, gx[c].data(), gy[c].data());
    tensor_row(along.row(y), across.row(y), energy.row(y), gx, gy, w);
  }
  Field field{blur(along, kSigma), blur(across, kSigma)};
  energy = blur(energy, kSigma);
  Plane strength = Plane::unset(w, h);
  square_roots(strength.values.data(), energy.values.data(), strength.size());
  const Plane around = blur_wide(strength, kNeighbourhood);
  normalise(field.cosine.values.data(), field.sine.values.data(), energy.values.data(),
            around.values.data(), energy.size());
  return field;
}

// Of the rows from both ends: what a mirrored picture has at x lies at w - 1 - x,
// and its sine has the other sign. Sums of a row are floats, four at a time.
template <bool kMirrored, bool kWeighted>
__attribute__((always_inline)) inline RowSums row_sums(const float* ac, const float* as,
                                                       const float* bc, const float* bs,
                                                       const float* weight, int w) {
  constexpr int kLanes = 8;
  float dot[kLanes] = {}, aa[kLanes] = {}, bb[kLanes] = {};
  const auto one = [&](int x, int lane) {
    const int at = kMirrored ? w - 1 - x : x;
    const float c = bc[at], s = kMirrored ? -bs[at] : bs[at];
    const float by = kWeighted ? weight[x] : 1.0f;
    dot[lane] += by * (ac[x] * c + as[x] * s);
    aa[lane] += by * (ac[x] * ac[x] + as[x] * as[x]);
    bb[lane] += by * (c * c + s * s);
  };
  int x = 0;
  for (; x + kLanes <= w; x += kLanes)
    for (int lane = 0; lane < kLanes; ++lane)
      one(x + lane, lane);
  for (; x < w; ++x)
    one(x, 0);
  RowSums sums;
  for (int lane = 0; lane < kLanes; ++lane) {
    sums.dot += static_cast<double>(dot[lane]);
    sums.a += static_cast<double>(aa[lane]);
    sums.b += static_cast<double>(bb[lane]);
  }
  return sums;
}

}  // namespace

std::vector<Field> orientation_fields(const Picture& oklab) {
  std::vector<Field> fields = {field_of(oklab)};
  Picture level;
  for (int scale = 1; scale < kScales; ++scale) {
    const Size size = with_long_edge(oklab.width(), oklab.height(), kContourEdge >> scale);
    level = resize(scale == 1 ? oklab : level, size.width, size.height);
    fields.push_back(field_of(level));
  }
  return fields;
}

SPRENN_WIDE RowSums sums_of_rows(const float* ac, const float* as, const float* bc, const float* bs,
                                 const float* weight, bool mirrored, int w) {
  if (weight)
    return mirrored ? row_sums<true, true>(ac, as, bc, bs, weight, w)
                    : row_sums<false, true>(ac, as, bc, bs, weight, w);
  return mirrored ? row_sums<true, false>(ac, as, bc, bs, weight, w)
                  : row_sums<false, false>(ac, as, bc, bs, weight, w);
}

namespace {

double field_cosine(const Field& a, const Field& b, const Plane* weight, bool mirrored) {
  RowSums sums;
  for (int y = 0; y < a.cosine.height; ++y) {
    const RowSums row = sums_of_rows(a.cosine.row(y), a.sine.row(y), b.cosine.row(y), b.sine.row(y),
                                     weight ? weight->row(y) : nullptr, mirrored, a.cosine.width);
    sums.dot += row.dot;
    sums.a += row.a;
    sums.b += row.b;
  }
  const double norm = std::sqrt(sums.a * sums.b);
  return norm > 0.0 ? sums.dot / norm : 0.0;
}

}  // namespace

double orientation_agreement(const std::vector<Field>& a, const std::vector<Field>& b,
                             Weighting& weight, bool mirrored) {
  double sum = 0.0;
  for (std::size_t scale = 0; scale < a.size(); ++scale) {
    const Plane& plane = a[scale].cosine;
    sum += field_cosine(a[scale], b[scale], weight.at(plane.width, plane.height), mirrored);
  }
  return a.empty() ? 0.0 : sum / static_cast<double>(a.size());
}

namespace {

// Pixel by pixel: the products of two fields of one scale, and the squares of each.
struct Products {
  Plane dot, a, b;
};

SPRENN_WIDE void multiply(float* __restrict dot, float* __restrict aa, float* __restrict bb,
                          const float* ac, const float* as, const float* bc, const float* bs,
                          std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    dot[i] = ac[i] * bc[i] + as[i] * bs[i];
    aa[i] = ac[i] * ac[i] + as[i] * as[i];
    bb[i] = bc[i] * bc[i] + bs[i] * bs[i];
  }
}

Products products_of(const Field& a, const Field& b) {
  const int w = a.cosine.width, h = a.cosine.height;
  Products out{Plane::unset(w, h), Plane::unset(w, h), Plane::unset(w, h)};
  multiply(out.dot.values.data(), out.a.values.data(), out.b.values.data(), a.cosine.values.data(),
           a.sine.values.data(), b.cosine.values.data(), b.sine.values.data(), out.dot.size());
  return out;
}

// Adds what smoothed products say of agreement and presence, by `share`.
void add_agreement(AgreementMap& map, const Products& smooth, float share) {
  for (std::size_t i = 0; i < map.agreement.size(); ++i) {
    const float a = smooth.a.values[i], b = smooth.b.values[i];
    const float present = std::sqrt(std::max(0.0f, std::max(a, b)));
    const float norm = std::sqrt(std::max(a * b, 0.0f)) + 1e-4f;
    map.agreement.values[i] += share * std::clamp(smooth.dot.values[i] / norm, -1.0f, 1.0f);
    map.presence.values[i] += share * std::min(1.0f, 3.0f * present);
  }
}

}  // namespace

AgreementMap agreement_map(const std::vector<Field>& a, const std::vector<Field>& b) {
  constexpr float kAround = 6.0f;
  const int w = a[0].cosine.width, h = a[0].cosine.height;
  AgreementMap out{Plane(w, h), Plane(w, h)};
  for (std::size_t scale = 0; scale < a.size(); ++scale) {
    const Products own = products_of(a[scale], b[scale]);
    const float sigma = std::max(1.0f, kAround / static_cast<float>(1 << scale));
    const auto smoothed = [&](const Plane& plane) { return resize(blur(plane, sigma), w, h); };
    add_agreement(out, {smoothed(own.dot), smoothed(own.a), smoothed(own.b)},
                  1.0f / static_cast<float>(a.size()));
  }
  return out;
}

Plane small_agreement(const std::vector<Field>& a, const std::vector<Field>& b, int width,
                      int height) {
  AgreementMap map{Plane(width, height), Plane(width, height)};
  for (std::size_t scale = 0; scale < a.size(); ++scale) {
    const Products own = products_of(a[scale], b[scale]);
    const auto small = [&](const Plane& plane) { return resize(plane, width, height); };
    add_agreement(map, {small(own.dot), small(own.a), small(own.b)},
                  1.0f / static_cast<float>(a.size()));
  }
  for (std::size_t i = 0; i < map.agreement.size(); ++i)
    map.agreement.values[i] *= map.presence.values[i];
  return map.agreement;
}

}  // namespace sprenn
