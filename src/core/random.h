// Random numbers that are the same on every machine and compiler.
#pragma once
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

 private:
  std::uint64_t state_;
};

}  // namespace sprenn
