// SPDX-License-Identifier: Apache-2.0
// What the stress solve spends its time in: loops over beams and pieces, for narrow and wide vectors. Both
// give the same bits.
#pragma once
#include <cstddef>
#include <cstdint>

namespace drubble::bond {

// How far a piece gives, or what is left of what acts on it: three of place, nothing, three of turn, nothing.
// In doubles: a part that hangs by next to nothing swings far, and what its own beams bear is the difference
// of great numbers.
struct alignas(64) Sextet {
  double x[8] = {};
};

// A beam: its coefficients need no more than floats, and bytes are what the loops wait for.
struct alignas(64) Quick {
  float arm_a[4] = {};  // from the pieces' centres to the face; and how stiff it is, any way (N/m)
  float arm_b[4] = {};
  float about[4] = {};   // N m/rad: xx, yy, zz
  float beside[4] = {};  // xy, yz, zx
};

struct Ends {
  std::uint32_t a = 0, b = 0;
};

// A piece's own 6x6 block, inverted, column by column: what conditions may be rough.
struct alignas(64) Block {
  float column[6][8] = {};
};

struct Loops {
  // out += what beams [begin, end) resist u with.
  void (*pull)(const Quick*, const Ends*, std::size_t begin, std::size_t end, const Sextet* u, Sextet* out);
  // z = the blocks times r, of pieces [begin, end).
  void (*give)(const Block*, const Sextet* r, std::size_t begin, std::size_t end, Sextet* z);
  double (*dot)(const Sextet* x, const Sextet* y, std::size_t begin, std::size_t end);
  // x += share * y
  void (*add)(double share, const Sextet* y, std::size_t begin, std::size_t end, Sextet* x);
  // x becomes what L LT x' = x has for x'. `lower`: L below its diagonal, row by row, `stride` floats each, 0
  // from the diagonal on; `over`: 1 over the diagonal. x: as long as a row; a stride is a multiple of 4.
  void (*solve)(const float* lower, const float* over, std::size_t rows, std::size_t stride, double* x);
  // x = y + share * x
  void (*turn)(double share, const Sextet* y, std::size_t begin, std::size_t end, Sextet* x);
};

extern const Loops kNarrowLoops, kWideLoops;
// The wide ones only where this machine has the instructions.
const Loops& loopsFor(bool wide);

}  // namespace drubble::bond
