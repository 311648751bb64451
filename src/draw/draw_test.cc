// SPDX-License-Identifier: Apache-2.0
#include <algorithm>
#include <catch2/catch.hpp>

#include "draw/caption.h"
#include "draw/render.h"

using namespace drubble;
using namespace drubble::draw;

namespace {

Stage ballsStage(Moment& m) {
  Stage s;
  s.title = "two balls";
  s.units = "m";
  s.meshes = {{"ball", mesh::sphereMesh(0.2, 12), {0.9, 0.1, 0.1}, true, false},
              {"hidden", mesh::sphereMesh(0.2, 12), {0, 0, 1}, false, false}};
  s.pieces = {{"left", 0, true, 1, 0}, {"right", 0, true, 1, 1}, {"unseen", 1, true, 1, 2}};
  m.poses = {{vec3(-1, 0, 0), Quat::Identity()},
             {vec3(1, 0.5, 0), Quat::Identity()},
             {vec3(0, 0, 0), Quat::Identity()}};
  m.speeds = {0, 1, 0};
  return s;
}

bool reddish(std::uint32_t p) { return (p >> 16 & 255) > 2 * (p & 255) && (p >> 16 & 255) > 60; }

}  // namespace

TEST_CASE("the framing camera has all of the action in view, and fills most of it") {
  Moment m;
  const Stage s = ballsStage(m);
  for (const double aspect : {0.6, 1.6, 3.0}) {
    const Camera c = framing(s, {m}, aspect);
    const Box box = actionBox(s, {m});
    for (std::size_t i = 0; i < 2; ++i) CHECK(box.contains(m.poses[i].position));
    double widest = 0;
    for (int i = 0; i < 8; ++i) {
      const Vec3 corner = vec3((i & 1) ? box.high.x() : box.low.x(), (i & 2) ? box.high.y() : box.low.y(),
                               (i & 4) ? box.high.z() : box.low.z());
      const Vec3 d = corner - c.at;
      const double depth = d.dot(c.forward) * c.tangent;
      widest = greatest(widest, greatest(absolute(d.dot(c.right)), absolute(d.dot(c.up)) * aspect) / depth);
    }
    CHECK(widest < 0.91);
    CHECK(widest > 0.8);
  }
}

TEST_CASE("framing keeps what starts high in view, and lets go what falls for ever") {
  Moment first;
  Stage s = ballsStage(first);
  s.pieces.clear();
  first.poses.clear();
  for (std::uint32_t i = 0; i < 40; ++i) {
    s.pieces.push_back({"ball", 0, true, 1, i});
    first.poses.push_back({vec3(0.1 * (i % 4), 0.1 * i, 0), Quat::Identity()});
  }
  Moment last = first;
  for (std::size_t i = 0; i < 36; ++i) last.poses[i].position.y() *= 0.2;
  for (std::size_t i = 36; i < 40; ++i) last.poses[i].position.y() = -80;
  const Box box = actionBox(s, {first, last, last, last});
  CHECK(box.contains(vec3(0, 3.9, 0)));
  CHECK(box.low.y() > -15);
}

TEST_CASE("a mesh that bends is drawn as it is in each moment") {
  Moment m;
  Stage s = ballsStage(m);
  Renderer r(s);
  const Camera c = lookingFrom(vec3(0, 0, 6), Vec3::Zero(), Vec3::UnitY(), 35);
  Look look;
  look.width = 160;
  look.height = 100;
  look.quick = true;
  const auto redIn = [&](double size) {
    std::vector<Vec3> form = s.meshes[0].mesh.vertices;
    for (Vec3& v : form) v *= size;
    m.forms = {{0, form}};
    r.show(m);
    const Image image = r.render(c, look, {});
    return std::count_if(image.pixels.begin(), image.pixels.end(), reddish);
  };
  const auto plain = redIn(1), grown = redIn(2);
  CHECK(plain > 50);
  CHECK(static_cast<double>(grown) == Approx(4.0 * static_cast<double>(plain)).epsilon(0.2));
  CHECK(redIn(1) == plain);
}

TEST_CASE("a picture shows the pieces where the camera says, and not those that are not to be shown") {
  Moment m;
  const Stage s = ballsStage(m);
  Renderer r(s);
  r.show(m);
  const Camera c = lookingFrom(vec3(0, 0, 6), Vec3::Zero(), Vec3::UnitY(), 35);
  for (const bool quick : {true, false}) {
    Look look;
    look.width = 160;
    look.height = 100;
    look.quick = quick;
    look.samples = 1;
    Image image = r.render(c, look, {});
    const auto pixelOf = [&](const Vec3& p) {
      const Vec3 d = p - c.at;
      const double scale = 80 / (c.tangent * d.dot(c.forward));
      return image.at(static_cast<int>(80 + d.dot(c.right) * scale),
                      static_cast<int>(50 - d.dot(c.up) * scale));
    };
    CHECK(reddish(pixelOf(vec3(-1, 0, 0))));
    CHECK(reddish(pixelOf(vec3(1, 0.5, 0))));
    CHECK_FALSE(reddish(pixelOf(vec3(0, 0, 0))));
    CHECK_FALSE(reddish(image.at(2, 2)));
    CHECK(image.pixels == r.render(c, look, {}).pixels);  // the same picture every time
  }
}

TEST_CASE("text is measured before it is boxed: it stays inside") {
  for (const char* text : {"frame 1", "a rather long title for one small shot of a harbour"}) {
    const TextStyle style{16, {1, 1, 1}, true};
    const TextSize size = measureText(text, style);
    Image image(static_cast<int>(size.width) + 20, 40);
    drawText(image, 10, 28, text, style);
    int left = image.width, right = 0;
    for (int y = 0; y < image.height; ++y)
      for (int x = 0; x < image.width; ++x)
        if (image.at(x, y) != 0) left = std::min(left, x), right = std::max(right, x);
    CHECK(left >= 9);
    CHECK(right <= image.width - 9);
    CHECK(right > image.width / 2);
  }
}

TEST_CASE("sheets hold all their panels, scales end on round numbers") {
  std::vector<Panel> panels;
  for (int i = 0; i < 5; ++i)
    panels.push_back({"frame", Image(60, 40, 0x102030u * static_cast<std::uint32_t>(i + 1))});
  Image sheet = sheetOf("title", panels, sheetColumns(5));
  int found = 0;
  for (int i = 0; i < 5; ++i)
    found += std::count(sheet.pixels.begin(), sheet.pixels.end(),
                        0x102030u * static_cast<std::uint32_t>(i + 1)) == 60 * 40;
  CHECK(found == 5);
  CHECK(sheetColumns(9) == 3);
  CHECK(niceTop(4.9, 1) == Approx(5));
  CHECK(niceTop(0.013, 1) == Approx(0.015));
  CHECK(niceTop(0.049, 0.01) == Approx(0.05));  // 4.9 cm/s: 5 cm/s
}

TEST_CASE("the legend of a highlight shows its colour and the grey of all else, no other") {
  Image image(1280, 800, 0xff000000u);
  addHighlightLegend(image, {"load/*", 3});
  const auto close = [](std::uint32_t p, const Rgb& c) {
    const double off = std::abs((p >> 16 & 255) - 255 * c[0]) + std::abs((p >> 8 & 255) - 255 * c[1]) +
                       std::abs((p & 255) - 255 * c[2]);
    return off < 6;
  };
  int lit = 0, behind = 0;
  for (int y = 400; y < 800; ++y)
    for (int x = 640; x < 1280; ++x)
      lit += close(image.at(x, y), kHighlit), behind += close(image.at(x, y), kBehind);
  CHECK(lit > 100);
  CHECK(behind > 100);
}
