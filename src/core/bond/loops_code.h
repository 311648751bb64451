// SPDX-License-Identifier: Apache-2.0
// The loops of loops.h, in the instructions of the file that includes this. It defines DRUBBLE_LOOPS, which
// names the table, and includes nothing that could be linked elsewhere.
#include "core/bond/loops.h"

namespace drubble::bond {

namespace {

using Four = double __attribute__((vector_size(32)));
using FourFloats = float __attribute__((vector_size(16)));
using Places = long long __attribute__((vector_size(32)));
#define DRUBBLE_IN_LOOP __attribute__((always_inline)) inline

DRUBBLE_IN_LOOP const Four& fourAt(const double* p) { return *reinterpret_cast<const Four*>(p); }
DRUBBLE_IN_LOOP Four& fourAt(double* p) { return *reinterpret_cast<Four*>(p); }
DRUBBLE_IN_LOOP Four fourOf(const float* p) {
#ifdef __AVX__
  return __builtin_ia32_cvtps2pd256(*reinterpret_cast<const FourFloats*>(p));
#else
  return __builtin_convertvector(*reinterpret_cast<const FourFloats*>(p), Four);
#endif
}
// y, z, x of x, y, z.
DRUBBLE_IN_LOOP Four rolled(const Four& v) { return __builtin_shuffle(v, Places{1, 2, 0, 3}); }
// a x b; `a_rolled` and `b_rolled` are known.
DRUBBLE_IN_LOOP Four cross(const Four& a, const Four& a_rolled, const Four& b, const Four& b_rolled) {
  return rolled(a * b_rolled - a_rolled * b);
}

void pull(const Quick* beams, const Ends* ends, std::size_t begin, std::size_t end, const Sextet* u,
          Sextet* out) {
  for (std::size_t n = begin; n < end; ++n) {
    const Quick& s = beams[n];
    const std::uint32_t a = ends[n].a, b = ends[n].b;
    // The fourth of an arm is no arm: what it is multiplied with is 0.
    const Four p = fourOf(s.arm_a), q = fourOf(s.arm_b), p_rolled = rolled(p), q_rolled = rolled(q);
    const Four ra = fourAt(u[a].x + 4), rb = fourAt(u[b].x + 4), ra_rolled = rolled(ra),
               rb_rolled = rolled(rb);
    const Four apart = fourAt(u[b].x) - fourAt(u[a].x) + cross(rb, rb_rolled, q, q_rolled) -
                       cross(ra, ra_rolled, p, p_rolled);
    const Four force = static_cast<double>(s.arm_a[3]) * apart, force_rolled = rolled(force);
    const Four turned = rb - ra, turned_rolled = rb_rolled - ra_rolled, beside = fourOf(s.beside);
    const Four torque =
        fourOf(s.about) * turned + beside * turned_rolled + rolled(rolled(beside)) * rolled(turned_rolled);
    fourAt(out[a].x) -= force;
    fourAt(out[a].x + 4) -= cross(p, p_rolled, force, force_rolled) + torque;
    fourAt(out[b].x) += force;
    fourAt(out[b].x + 4) += cross(q, q_rolled, force, force_rolled) + torque;
  }
}

void give(const Block* blocks, const Sextet* r, std::size_t begin, std::size_t end, Sextet* z) {
  for (std::size_t k = begin; k < end; ++k) {
    Four travel{}, turn{};
    for (int c = 0; c < 6; ++c) {
      const double by = r[k].x[c < 3 ? c : c + 1];
      travel += fourOf(blocks[k].column[c]) * by;
      turn += fourOf(blocks[k].column[c] + 4) * by;
    }
    fourAt(z[k].x) = travel;
    fourAt(z[k].x + 4) = turn;
  }
}

double dot(const Sextet* x, const Sextet* y, std::size_t begin, std::size_t end) {
  Four travel{}, turn{};
  for (std::size_t k = begin; k < end; ++k) {
    travel += fourAt(x[k].x) * fourAt(y[k].x);
    turn += fourAt(x[k].x + 4) * fourAt(y[k].x + 4);
  }
  const Four all = travel + turn;
  return (all[0] + all[1]) + (all[2] + all[3]);
}

void add(double share, const Sextet* y, std::size_t begin, std::size_t end, Sextet* x) {
  for (std::size_t k = begin; k < end; ++k)
    for (int c = 0; c < 8; c += 4) fourAt(x[k].x + c) += share * fourAt(y[k].x + c);
}

void turn(double share, const Sextet* y, std::size_t begin, std::size_t end, Sextet* x) {
  for (std::size_t k = begin; k < end; ++k)
    for (int c = 0; c < 8; c += 4) fourAt(x[k].x + c) = fourAt(y[k].x + c) + share * fourAt(x[k].x + c);
}

void solve(const float* lower, const float* over, std::size_t rows, std::size_t stride, double* x) {
  for (std::size_t i = 0; i < rows; ++i) {
    const float* row = lower + i * stride;
    Four even{}, odd{};
    std::size_t j = 0;
    for (; j + 8 <= i; j += 8) {
      even += fourOf(row + j) * fourAt(x + j);
      odd += fourOf(row + j + 4) * fourAt(x + j + 4);
    }
    for (; j < i; j += 4) even += fourOf(row + j) * fourAt(x + j);
    const Four all = even + odd;
    x[i] = (x[i] - ((all[0] + all[1]) + (all[2] + all[3]))) * static_cast<double>(over[i]);
  }
  for (std::size_t i = rows; i-- > 0;) {
    const float* row = lower + i * stride;
    x[i] *= static_cast<double>(over[i]);
    const double by = x[i];
    for (std::size_t j = 0; j < i; j += 4) fourAt(x + j) -= fourOf(row + j) * by;
  }
}

}  // namespace

const Loops DRUBBLE_LOOPS = {pull, give, dot, add, solve, turn};

}  // namespace drubble::bond
