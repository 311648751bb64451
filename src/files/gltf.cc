// SPDX-License-Identifier: Apache-2.0
#include "files/gltf.h"

#include <assimp/scene.h>
#include <fmt/format.h>

#include <assimp/Importer.hpp>
#include <set>

#include "core/base/error.h"

namespace drubble::files {

namespace {

// The keys on both sides of a time, and the share between them.
template <class Key>
float between(const Key* keys, unsigned count, double time, unsigned& low, unsigned& high) {
  low = 0;
  while (low + 1 < count && keys[low + 1].mTime <= time) ++low;
  high = low + 1 < count ? low + 1 : low;
  if (high == low || time <= keys[low].mTime) return 0;
  return static_cast<float>((time - keys[low].mTime) / (keys[high].mTime - keys[low].mTime));
}

aiMatrix4x4 localAt(const aiNodeAnim& a, double time) {
  unsigned i, j;
  float s = between(a.mPositionKeys, a.mNumPositionKeys, time, i, j);
  const aiVector3D p =
      a.mPositionKeys[i].mValue + s * (a.mPositionKeys[j].mValue - a.mPositionKeys[i].mValue);
  s = between(a.mRotationKeys, a.mNumRotationKeys, time, i, j);
  aiQuaternion q;
  aiQuaternion::Interpolate(q, a.mRotationKeys[i].mValue, a.mRotationKeys[j].mValue, s);
  s = between(a.mScalingKeys, a.mNumScalingKeys, time, i, j);
  const aiVector3D k = a.mScalingKeys[i].mValue + s * (a.mScalingKeys[j].mValue - a.mScalingKeys[i].mValue);
  return aiMatrix4x4(k, q, p);
}

}  // namespace

std::vector<act::PoseKey> readNodeMotion(const std::string& path, const std::string& node, double unit,
                                         double fps, double first_frame) {
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFile(path, 0);
  if (scene == nullptr)
    throw Error(ErrorKind::Input,
                fmt::format("{}: cannot read the animation: {}", path, importer.GetErrorString()));
  std::set<std::string> names;
  const aiNodeAnim* found = nullptr;
  double per_second = 1;
  for (unsigned a = 0; a < scene->mNumAnimations; ++a) {
    for (unsigned c = 0; c < scene->mAnimations[a]->mNumChannels; ++c) {
      const aiNodeAnim* channel = scene->mAnimations[a]->mChannels[c];
      names.insert(channel->mNodeName.C_Str());
      if (found != nullptr || (!node.empty() && node != channel->mNodeName.C_Str())) continue;
      found = channel;
      per_second = scene->mAnimations[a]->mTicksPerSecond > 0 ? scene->mAnimations[a]->mTicksPerSecond : 1;
    }
  }
  if (found == nullptr || (node.empty() && names.size() > 1)) {
    std::string list;
    for (const std::string& n : names) list += (list.empty() ? "'" : ", '") + n + "'";
    throw Error(ErrorKind::Input, names.empty()
                                      ? fmt::format("{}: nothing in it is animated", path)
                                      : fmt::format("{}: say which node: node = one of {}", path, list));
  }
  aiMatrix4x4 above;
  if (const aiNode* n = scene->mRootNode->FindNode(found->mNodeName))
    for (const aiNode* p = n->mParent; p != nullptr; p = p->mParent) above = p->mTransformation * above;
  std::set<double> times;
  for (unsigned k = 0; k < found->mNumPositionKeys; ++k) times.insert(found->mPositionKeys[k].mTime);
  for (unsigned k = 0; k < found->mNumRotationKeys; ++k) times.insert(found->mRotationKeys[k].mTime);
  std::vector<act::PoseKey> out;
  for (const double t : times) {
    aiVector3D scale, p;
    aiQuaternion q;
    (above * localAt(*found, t)).Decompose(scale, q, p);
    act::PoseKey key;
    key.frame = first_frame + t / per_second * fps;
    key.pose.position =
        unit * vec3(static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z));
    key.pose.turn = Quat(static_cast<double>(q.w), static_cast<double>(q.x), static_cast<double>(q.y),
                         static_cast<double>(q.z))
                        .normalized();
    out.push_back(key);
  }
  return out;
}

}  // namespace drubble::files
