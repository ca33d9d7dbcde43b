#include "vectorise.h"

#include "orientation.h"

#include <algorithm>
#include <cmath>

namespace sprenn {

namespace {

constexpr int kLongEdge = 384;
constexpr int kScales = 3;
constexpr float kSigma = 1.5f;
constexpr float kNeighbourhood = 8.0f * kSigma;
// Below this step of OKLab per pixel a direction is sensor noise or rounding.
constexpr float kFaintest = 0.002f;
// Below this energy a pixel has no direction at all.
constexpr float kNothing = 1e-12f;

// Adds a gradient's products to the tensor: xx - yy, 2 xy, and xx + yy.
SPRENN_WIDE void add_tensor(float* along, float* across, float* energy, const float* x, const float* y, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) {
    const float xx = x[i] * x[i], yy = y[i] * y[i];
    along[i] += xx - yy;
    across[i] += 2.0f * (x[i] * y[i]);
    energy[i] += xx + yy;
  }
}

SPRENN_WIDE void square_roots(float* out, const float* in, std::size_t n) {
  for (std::size_t i = 0; i < n; ++i) out[i] = std::sqrt(std::max(in[i], 0.0f));
}

SPRENN_WIDE void normalise(float* along, float* across, const float* energy, const float* around, std::size_t n) {
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
  Plane along(w, h), across(w, h), energy(w, h);
  for (const Plane& channel : oklab.channel) {
    const Gradient gradient = gradient_of(blur(channel, kSigma));
    add_tensor(along.values.data(), across.values.data(), energy.values.data(),
               gradient.across.values.data(), gradient.down.values.data(), along.size());
  }
  Field field{blur(along, kSigma), blur(across, kSigma)};
  energy = blur(energy, kSigma);
  Plane strength(w, h);
  square_roots(strength.values.data(), energy.values.data(), strength.size());
  const Plane around = blur_wide(strength, kNeighbourhood);
  normalise(field.cosine.values.data(), field.sine.values.data(), energy.values.data(),
            around.values.data(), energy.size());
  return field;
}

struct Sums {
  double dot = 0.0, a = 0.0, b = 0.0;
};

// Of the rows from both ends: what a mirrored picture has at x lies at w - 1 - x,
// and its sine has the other sign. Sums of a row are floats, four at a time.
template <bool kMirrored, bool kWeighted>
Sums row_sums(const float* ac, const float* as, const float* bc, const float* bs, const float* weight, int w) {
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
    for (int lane = 0; lane < kLanes; ++lane) one(x + lane, lane);
  for (; x < w; ++x) one(x, 0);
  Sums sums;
  for (int lane = 0; lane < kLanes; ++lane) {
    sums.dot += static_cast<double>(dot[lane]);
    sums.a += static_cast<double>(aa[lane]);
    sums.b += static_cast<double>(bb[lane]);
  }
  return sums;
}

}  // namespace

std::vector<Field> orientation_fields(const Picture& oklab) {
  std::vector<Field> fields;
  Picture level = oklab;
  for (int scale = 0; scale < kScales; ++scale) {
    const Size size = with_long_edge(oklab.width(), oklab.height(), kLongEdge >> scale);
    level = resize(level, size.width, size.height);
    fields.push_back(field_of(level));
  }
  return fields;
}

double field_cosine(const Field& a, const Field& b, const Plane* weight, bool mirrored) {
  Sums sums;
  const int w = a.cosine.width;
  for (int y = 0; y < a.cosine.height; ++y) {
    const float *ac = a.cosine.row(y), *as = a.sine.row(y), *bc = b.cosine.row(y), *bs = b.sine.row(y);
    const float* by = weight ? weight->row(y) : nullptr;
    const Sums row = by ? (mirrored ? row_sums<true, true>(ac, as, bc, bs, by, w) : row_sums<false, true>(ac, as, bc, bs, by, w))
                        : (mirrored ? row_sums<true, false>(ac, as, bc, bs, by, w) : row_sums<false, false>(ac, as, bc, bs, by, w));
    sums.dot += row.dot;
    sums.a += row.a;
    sums.b += row.b;
  }
  const double norm = std::sqrt(sums.a * sums.b);
  return norm > 0.0 ? sums.dot / norm : 0.0;
}

double orientation_agreement(const std::vector<Field>& a, const std::vector<Field>& b,
                             const Plane* weight, bool mirrored) {
  double sum = 0.0;
  for (std::size_t scale = 0; scale < a.size(); ++scale) {
    const Plane& plane = a[scale].cosine;
    const Plane own = weight ? resize(*weight, plane.width, plane.height) : Plane();
    sum += field_cosine(a[scale], b[scale], weight ? &own : nullptr, mirrored);
  }
  return a.empty() ? 0.0 : sum / static_cast<double>(a.size());
}

AgreementMap agreement_map(const std::vector<Field>& a, const std::vector<Field>& b) {
  constexpr float kAround = 6.0f;
  const int w = a[0].cosine.width, h = a[0].cosine.height;
  AgreementMap out{Plane(w, h), Plane(w, h)};
  for (std::size_t scale = 0; scale < a.size(); ++scale) {
    const std::size_t n = a[scale].cosine.size();
    Plane dot(a[scale].cosine.width, a[scale].cosine.height), aa = dot, bb = dot;
    for (std::size_t i = 0; i < n; ++i) {
      const float ac = a[scale].cosine.values[i], as = a[scale].sine.values[i];
      const float bc = b[scale].cosine.values[i], bs = b[scale].sine.values[i];
      dot.values[i] = ac * bc + as * bs;
      aa.values[i] = ac * ac + as * as;
      bb.values[i] = bc * bc + bs * bs;
    }
    const float sigma = std::max(1.0f, kAround / static_cast<float>(1 << scale));
    dot = resize(blur(dot, sigma), w, h);
    aa = resize(blur(aa, sigma), w, h);
    bb = resize(blur(bb, sigma), w, h);
    for (std::size_t i = 0; i < out.agreement.size(); ++i) {
      const float present = std::sqrt(std::max(0.0f, std::max(aa.values[i], bb.values[i])));
      const float norm = std::sqrt(std::max(aa.values[i] * bb.values[i], 0.0f)) + 1e-4f;
      const float share = 1.0f / static_cast<float>(a.size());
      out.agreement.values[i] += share * std::clamp(dot.values[i] / norm, -1.0f, 1.0f);
      out.presence.values[i] += share * std::min(1.0f, 3.0f * present);
    }
  }
  return out;
}

}  // namespace sprenn
