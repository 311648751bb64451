// SPDX-License-Identifier: Apache-2.0
// Where and when things struck or broke, for those who make dust, sparks or splashes of it.
#pragma once
#include "files/export/shot.h"

namespace drubble::files {

struct EventOptions {
  bool hits = true, breaks = true;
  bool contacts = false;     // what touches, frame by frame, where a watch keeps it
  double least_impulse = 0;  // N s; of hits
  double least_speed = 0;    // setup's unit a simulated second; of hits, and of contacts that slide
  double gather = 0;  // setup's unit: what lies so near each other, in frames without a gap, is one burst
};

struct ShotEvent {
  int frame = 0, last_frame = 0;  // those of a burst; else the same
  std::string
      kind;  // hit; tension, compression, shear, cue (of bonds), joint; start, lasting, end (of contacts)
  std::uint32_t a = 0, b = 0;                        // pieces of the cache; of a burst those of its strongest
  Vec3 place = Vec3::Zero(), normal = Vec3::Zero();  // setup's unit; unit vector from a to b
  double impulse = 0, speed = 0;                     // N s; closing, setup's unit a simulated second
  double sliding = 0;                                // across the normal; of contacts
  double area = 0;                                   // of what broke or touches, setup's unit squared
  std::uint32_t count = 1;                           // events in it
};

// In the shot's range and among its pieces (either of the two), by frame.
std::vector<ShotEvent> eventsOf(Shot& shot, const EventOptions& options);

// By the path's ending: .csv (one row an event, with both names), .usda (points, as they come), .ply (points;
// one file a frame where the path has a row of #, else all in one). Throws Error(Output), Error(Usage).
void writeEvents(Shot& shot, const std::vector<ShotEvent>& events);

}  // namespace drubble::files
