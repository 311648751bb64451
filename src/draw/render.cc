// SPDX-License-Identifier: Apache-2.0
#include "draw/render.h"

#include <pmmintrin.h>
#include <xmmintrin.h>

#include <atomic>
#include <cmath>
#include <thread>

#include "core/base/random.h"
#include "core/base/trig.h"
#include "draw/tracer.h"

namespace drubble::draw {

namespace {

using Colour = Eigen::Array3d;  // linear light

double toLinear(double s) { return s <= 0.04045 ? s / 12.92 : std::pow((s + 0.055) / 1.055, 2.4); }
double toDisplay(double l) { return l <= 0.0031308 ? 12.92 * l : 1.055 * std::pow(l, 1 / 2.4) - 0.055; }
Colour linear(const Rgb& c) { return {toLinear(c[0]), toLinear(c[1]), toLinear(c[2])}; }

std::uint32_t developed(const Colour& c) {
  Rgb out{};
  for (int k = 0; k < 3; ++k) {
    const double x = c[k];
    out[static_cast<std::size_t>(k)] = toDisplay(x * (1 + x / 9) / (1 + x));  // highlights roll off
  }
  return packed(out);
}

}  // namespace

struct Renderer::Inner {
  struct Light {
    Vec3 sun = Vec3::UnitY();
    Vec3 up = Vec3::UnitY();
    Colour sun_colour{4.0, 3.6, 2.95};
    Colour zenith{0.60, 0.76, 1.0};
    Colour horizon{0.95, 0.98, 1.02};
    Colour below{0.30, 0.28, 0.26};

    Colour sky(const Vec3& d) const {
      const double h = d.dot(up);
      if (h < 0) return horizon + (below - horizon) * least(1, -4 * h);
      return horizon + (zenith - horizon) * std::sqrt(h);
    }
  };

  const Stage& stage;
  Tracer tracer;
  Light light;

  explicit Inner(const Stage& s) : stage(s), tracer(s) {
    light.up = stage.up;
    const bool z_up = stage.up.z() > 0.5;
    light.sun = (z_up ? vec3(-0.6, -0.85, 1.1) : vec3(-0.6, 1.1, 0.85)).normalized();
  }

  Colour follow(const Vec3& from, const Vec3& d, const Look& look, const std::optional<Cut>& cut,
                const std::vector<Colour>& albedo, bool own_colours, RandomStream& random) const;

  // The ground fades into the sky's edge, so that it has no end.
  Colour faded(const Colour& c, const Vec3& place, const Vec3& d) const {
    const Vec3 off = place - tracer.middle();
    const double far = (off - off.dot(light.up) * light.up).norm() / tracer.extent();
    const double share = 1 - exponential(-0.012 * far * far);
    return c + (light.sky(d) - c) * share;
  }

  Colour quickShade(const Hit& h, const Vec3& from, const Vec3& d, const Colour& albedo) const {
    const double sun = greatest(0, h.flat.dot(light.sun)), facing = greatest(0, -h.flat.dot(d)),
                 up = 0.5 + 0.5 * h.flat.dot(light.up);
    const Colour c = albedo * (0.35 + 1.1 * sun + 0.35 * facing + 0.3 * up);
    return tracer.isGround(h.piece) ? faded(c, from + h.distance * d, d) : c;
  }

  Colour shade(const Hit& h, const Vec3& from, const Vec3& d, const Colour& albedo,
               const std::optional<Cut>& cut, RandomStream& random) const {
    const bool ground = tracer.isGround(h.piece);
    const Vec3 place = from + h.distance * d;
    const Vec3 origin = place + 1e-4 * tracer.extent() * h.flat;
    Colour out = Colour::Zero();
    // A sun with a width: soft edges to its shadows.
    const Vec3 wobble = vec3(random.between(-1, 1), random.between(-1, 1), random.between(-1, 1));
    const Vec3 sun = (light.sun + 0.035 * wobble).normalized();
    const double cosine = h.normal.dot(sun);
    const bool lit = cosine > 0 && h.flat.dot(sun) > 0 && !tracer.blocked(origin, sun, cut);
    if (lit) out += albedo * light.sun_colour * cosine * 0.55;
    const Vec3 side = anyNormalTo(h.normal), other = h.normal.cross(side);
    for (int k = 0; k < 2; ++k) {
      const double r = std::sqrt(random.unit());
      const SinCos a = sinCos(2 * kPi * random.unit());
      const Vec3 e = (r * a.cos * side + r * a.sin * other + std::sqrt(1 - r * r) * h.normal).normalized();
      if (e.dot(h.flat) > 0 && !tracer.blocked(origin, e, cut))
        out += 0.5 * albedo * light.sky(e);
      else
        out += 0.5 * albedo * albedo * 0.16;  // what neighbours throw back
    }
    if (!ground) {
      const Vec3 mirror = d - 2 * d.dot(h.normal) * h.normal;
      const double facing = greatest(0, -d.dot(h.normal));
      const double f = 0.035 + 0.4 * std::pow(1 - facing, 5);
      if (f > 0.05 && h.flat.dot(mirror) > 0 && !tracer.blocked(origin, mirror, cut))
        out += f * light.sky(mirror);
      if (lit) out += light.sun_colour * (0.5 * std::pow(greatest(0, mirror.dot(sun)), 90));
      return out;
    }
    return faded(out, place, d);
  }
};

// Follows a ray through what is cut away and what is seen through. A shape laid over its mesh is seen only
// where the two differ by more than the eye should overlook.
Colour Renderer::Inner::follow(const Vec3& from, const Vec3& d, const Look& look,
                               const std::optional<Cut>& cut, const std::vector<Colour>& albedo,
                               bool own_colours, RandomStream& random) const {
  Colour out = Colour::Zero();
  double left = 1, start = 0;
  const auto cover = [&](const Hit& h, const Colour& own, double opacity) {
    const double edge = 1 - absolute(h.normal.dot(d));
    const double share = least(1, opacity * (0.55 + 1.2 * edge * edge));
    out += left * share * quickShade(h, from, d, own);
    left *= 1 - share;
  };
  for (int layer = 0; layer < kMostLayers; ++layer) {
    Hit h;
    const bool met = tracer.trace(from, d, start, kSolid | kThin, h);
    if (stage.compares) {
      const double end = met ? h.distance : std::numeric_limits<double>::infinity();
      if (const std::optional<Hit> proud = tracer.proudBefore(from, d, start, end, met ? &h : nullptr, cut))
        cover(*proud, linear(kProudColour), 0.7);
    }
    if (!met) break;
    start = tracer.beyond(h);
    const StagePiece& piece = stage.pieces[h.piece];
    if (tracer.cutAway(from, d, h, cut)) continue;
    const bool sticks_out = stage.compares && !tracer.isGround(h.piece) && !tracer.feltNear(from, d, h);
    // A cut shows the inside, flatly lit.
    const bool broken = own_colours && h.cut_face && !h.inside;
    Colour own = broken     ? linear(stage.meshes[piece.mesh].inside_colour)
                 : h.inside ? Colour(albedo[h.piece] * 0.5 + 0.03)
                            : albedo[h.piece];
    if (sticks_out) own = 0.35 * own + 0.65 * linear(kSticksOutColour);
    if (piece.opacity < 1) {
      cover(h, own, piece.opacity);
      continue;
    }
    return out + left * (look.quick ? quickShade(h, from, d, own) : shade(h, from, d, own, cut, random));
  }
  return out + left * light.sky(d);
}

Renderer::Renderer(const Stage& stage) : inner_(std::make_unique<Inner>(stage)) {}
Renderer::~Renderer() = default;

void Renderer::show(const Moment& moment) { inner_->tracer.place(moment); }

Image Renderer::render(const Camera& camera, const Look& look, const PieceColours& colours) const {
  Image image(look.width, look.height);
  std::vector<Colour> albedo;
  for (std::size_t i = 0; i < inner_->stage.pieces.size(); ++i) {
    const StageMesh& m = inner_->stage.meshes[inner_->stage.pieces[i].mesh];
    albedo.push_back(linear(colours.empty() ? m.colour : colours[i]));
  }
  std::optional<Cut> cut;
  if (look.section) {
    const auto [axis, level] = *look.section;
    cut = Cut{axis, level, camera.at[axis] > level ? 1.0 : -1.0};
  }
  std::atomic<int> next_row{0};
  const auto work = [&] {
    _MM_SET_FLUSH_ZERO_MODE(_MM_FLUSH_ZERO_ON);
    _MM_SET_DENORMALS_ZERO_MODE(_MM_DENORMALS_ZERO_ON);
    const int side = look.quick ? 1 : look.samples;
    for (int y; (y = next_row.fetch_add(1)) < look.height;) {
      for (int x = 0; x < look.width; ++x) {
        RandomStream random(static_cast<std::uint64_t>(y), "pixel", static_cast<std::uint64_t>(x));
        Colour sum = Colour::Zero();
        for (int s = 0; s < side * side; ++s) {
          const double dx = (s % side + (look.quick ? 0.5 : random.unit())) / side,
                       dy = (s / side + (look.quick ? 0.5 : random.unit())) / side;
          const Vec3 d = camera.ray((x + dx) / look.width * 2 - 1, (look.height - 2 * (y + dy)) / look.width);
          sum += inner_->follow(camera.at, d, look, cut, albedo, colours.empty(), random);
        }
        image.at(x, y) = developed(sum / (side * side));
      }
    }
  };
  const unsigned count = std::max(1u, std::thread::hardware_concurrency());
  std::vector<std::thread> team;
  for (unsigned k = 0; k < count; ++k) team.emplace_back(work);
  for (std::thread& t : team) t.join();
  return image;
}

Rgb rampColour(double share) {
  static const Rgb kStops[] = {
      {0.16, 0.20, 0.42}, {0.10, 0.48, 0.56}, {0.38, 0.68, 0.36}, {0.93, 0.74, 0.22}, {0.99, 0.95, 0.80}};
  const double x = clamped(share, 0, 1) * 4;
  const auto i = static_cast<std::size_t>(least(x, 3.999));
  Rgb out{};
  for (std::size_t k = 0; k < 3; ++k)
    out[k] = kStops[i][k] + (kStops[i + 1][k] - kStops[i][k]) * (x - static_cast<double>(i));
  return out;
}

}  // namespace drubble::draw
