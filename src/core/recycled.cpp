#include "recycled.h"

#include <array>

namespace sprenn {

namespace {

// Smaller ones are cheap to come by.
constexpr std::size_t kSmallest = 16 * 1024;
constexpr std::size_t kStep = 4096;
constexpr std::size_t kMost = 24 * 1024 * 1024;  // kept in all, in bytes

struct Block {
  void* at = nullptr;
  std::size_t bytes = 0;
};

// The checker for addresses must see each block end.
#if defined(__SANITIZE_ADDRESS__)
constexpr bool kKeep = false;
#else
constexpr bool kKeep = true;
#endif

// One a thread, the oldest making room for the newest.
thread_local std::array<Block, 48> kept;
thread_local std::size_t oldest = 0;
thread_local std::size_t total = 0;

std::size_t rounded(std::size_t bytes) {
  return (bytes + kStep - 1) / kStep * kStep;
}

}  // namespace

void* take_block(std::size_t bytes) {
  if (kKeep && bytes >= kSmallest) {
    bytes = rounded(bytes);
    for (Block& block : kept) {
      if (block.bytes != bytes)
        continue;
      void* at = block.at;
      total -= bytes;
      block = Block();
      return at;
    }
  }
  void* at = std::malloc(bytes ? bytes : 1);
  if (!at)
    throw std::bad_alloc();
  return at;
}

void give_block(void* block, std::size_t bytes) noexcept {
  if (!kKeep || bytes < kSmallest || bytes > kMost / 4) {
    std::free(block);
    return;
  }
  bytes = rounded(bytes);
  // A free place, or the next in turn.
  for (std::size_t tries = 0; tries < kept.size() && kept[oldest].at; ++tries)
    oldest = (oldest + 1) % kept.size();
  const auto drop = [](Block& one) {
    std::free(one.at);
    total -= one.bytes;
    one = Block();
  };
  if (kept[oldest].at)
    drop(kept[oldest]);
  for (std::size_t k = 1; total + bytes > kMost && k < kept.size(); ++k)
    drop(kept[(oldest + k) % kept.size()]);
  kept[oldest] = {block, bytes};
  total += bytes;
  oldest = (oldest + 1) % kept.size();
}

}  // namespace sprenn
