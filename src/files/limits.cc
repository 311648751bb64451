// SPDX-License-Identifier: Apache-2.0
#include "files/limits.h"

#include <fmt/format.h>

#include <cmath>

namespace drubble::files {

namespace {

struct Measured {
  double value = 0;
  std::string piece;  // whose it is, where one is
};

Measured penetration(const FrameFacts& f) {
  const std::vector<world::Piece>& pieces = f.world.scene().pieces;
  if (!(f.depth.worst_share > 0)) return {};
  return {f.depth.worst_share, pieces[f.depth.a.index()].name + "' into '" + pieces[f.depth.b.index()].name};
}

Measured speed(const FrameFacts& f) {
  Measured out;
  for (std::size_t i = 0; i < f.world.motion().size(); ++i) {
    const double v = f.world.motion().velocity[i].norm() / f.unit;
    if (v > out.value) out = {v, f.world.scene().pieces[i].name};
  }
  return out;
}

struct Measure {
  const char* name;
  const char* help;
  Measured (*of)(const FrameFacts&);
};

const Measure kMeasures[] = {
    {"penetration", "worst, as a share of the smaller piece", penetration},
    {"speed", "of the fastest piece, in the setup's units a second", speed},
    {"contacts", "in a frame",
     [](const FrameFacts& f) {
       return Measured{double(f.stats.contacts), ""};
     }},
    {"substeps", "of a frame",
     [](const FrameFacts& f) {
       return Measured{double(f.stats.substeps), ""};
     }},
    {"seconds", "that the run has taken",
     [](const FrameFacts& f) {
       return Measured{f.seconds, ""};
     }},
};

}  // namespace

std::string limitNames() {
  std::string text;
  for (const Measure& m : kMeasures)
    text += fmt::format("{}{} ({})", text.empty() ? "" : ", ", m.name, m.help);
  return text;
}

Limit parseLimit(const std::string& text) {
  const std::size_t equals = text.find('=');
  const std::string name = text.substr(0, equals);
  bool known = false;
  for (const Measure& m : kMeasures) known = known || name == m.name;
  if (!known || equals == std::string::npos)
    throw Error(ErrorKind::Usage,
                fmt::format("--stop-when '{}' is not MEASURE=LIMIT with one of {}", text, limitNames()));
  std::size_t used = 0;
  double most = 0;
  try {
    most = std::stod(text.substr(equals + 1), &used);
  } catch (const std::exception&) {
    used = 0;
  }
  if (used == 0 || equals + 1 + used != text.size() || !(most >= 0) || !std::isfinite(most))
    throw Error(ErrorKind::Usage, fmt::format("--stop-when '{}': '{}' is not a number of 0 or more", text,
                                              text.substr(equals + 1)));
  return {name, most};
}

std::string passedLimit(const std::vector<Limit>& limits, const FrameFacts& facts) {
  for (const Limit& l : limits) {
    for (const Measure& m : kMeasures) {
      if (l.measure != m.name) continue;
      const Measured x = m.of(facts);
      if (x.value > l.most)
        return fmt::format("frame {}: {} {:.4g} is above {:.4g}{}", facts.stats.frame, l.measure, x.value,
                           l.most, x.piece.empty() ? "" : ": '" + x.piece + "'");
    }
  }
  return {};
}

}  // namespace drubble::files
