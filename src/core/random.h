// Random numbers that are the same on every machine and compiler.
#pragma once
#include <cmath>
#include <cstdint>

namespace sprenn {

// SplitMix64 (Steele, Lea and Flood 2014).
class Random {
 public:
  explicit Random(std::uint64_t seed) : state_(seed) {}

  std::uint64_t bits() {
    std::uint64_t z = (state_ += 0x9e3779b97f4a7c15ULL);
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return z ^ (z >> 31);
  }
  // In [0, 1).
  double uniform() { return static_cast<double>(bits() >> 11) * 0x1.0p-53; }
  // In 0..n-1; the bias for n far below 2^32 is beyond measuring.
  int below(int n) { return static_cast<int>(uniform() * n); }
  // Standard normal (Box and Muller 1958).
  double normal() {
    const double radius = std::sqrt(-2.0 * std::log(1.0 - uniform()));
    return radius * std::cos(6.283185307179586 * uniform());
  }
  // Chi-squared with n degrees of freedom (gamma by Marsaglia and Tsang 2000).
  double chi_squared(int n) {
    if (n == 1) {
      const double z = normal();
      return z * z;
    }
    const double d = n / 2.0 - 1.0 / 3.0, c = 1.0 / std::sqrt(9.0 * d);
    for (;;) {
      const double x = normal(), v = std::pow(1.0 + c * x, 3);
      if (v > 0.0 && std::log(1.0 - uniform()) < 0.5 * x * x + d - d * v + d * std::log(v)) return 2.0 * d * v;
    }
  }

 private:
  std::uint64_t state_;
};

}  // namespace sprenn
