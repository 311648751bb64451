// SPDX-License-Identifier: Apache-2.0
// How large copies are, as the setup says.
#pragma once
#include "core/base/error.h"
#include "core/base/vec.h"

namespace drubble::files {

// How large copies are: times what is copied, as a whole or along each of its axes.
struct SizeSetup {
  Vec3 least = Vec3::Ones(), most = Vec3::Ones();
  bool alike = true;  // as a whole: all three are the same
  Where where;

  bool one() const { return least == Vec3::Ones() && most == Vec3::Ones(); }
};

}  // namespace drubble::files
