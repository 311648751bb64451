// SPDX-License-Identifier: Apache-2.0
// Ray-traced pictures of a stage. Pieces are instances of their prototype's mesh, so that a frame costs
// little to change.
#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "draw/camera.h"

namespace drubble::draw {

struct Look {
  int width = 1280, height = 800;
  bool quick = false;  // flat shading, one ray a pixel, no shadows
  // What lies beyond the plane x, y or z (axis 0 to 2) on the camera's side is cut away.
  std::optional<std::pair<int, double>> section;
  int samples = 4;  // a side: samples^2 rays a pixel, each with a sun and two sky rays
};

// Colours of the pieces; empty: those of the prototypes.
using PieceColours = std::vector<Rgb>;

class Renderer {
 public:
  explicit Renderer(const Stage& stage);
  ~Renderer();
  Renderer(const Renderer&) = delete;
  Renderer& operator=(const Renderer&) = delete;

  void show(const Moment& moment);
  Image render(const Camera& camera, const Look& look, const PieceColours& colours) const;

 private:
  struct Inner;
  std::unique_ptr<Inner> inner_;
};

// A colour for a share from 0 (rest) to 1 (fast): from deep blue over green and gold to near white.
Rgb rampColour(double share);

}  // namespace drubble::draw
