// SPDX-License-Identifier: Apache-2.0
#include "files/cache/lock.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <filesystem>

#include "core/base/error.h"

namespace drubble::files {

namespace {

// Whether what is open is what the name stands for: another may have taken it away just before.
bool still(int handle, const std::string& file) {
  struct stat open {
  }, named{};
  return fstat(handle, &open) == 0 && stat(file.c_str(), &named) == 0 && open.st_ino == named.st_ino &&
         open.st_dev == named.st_dev;
}

// Makes the folders that a path wants; gives back those that were not there, inner first.
std::vector<std::string> madeFolders(const std::string& path) {
  std::vector<std::string> out;
  std::error_code ignored;
  for (std::filesystem::path f = std::filesystem::path(path).parent_path();
       !f.empty() && !std::filesystem::exists(f, ignored); f = f.parent_path())
    out.push_back(f.string());
  if (!out.empty()) std::filesystem::create_directories(out.front(), ignored);
  return out;
}

}  // namespace

WriterLock::WriterLock(const std::string& path) : path_(path), file_(path + "-lock") {
  made_ = madeFolders(path);
  for (;;) {
    handle_ = open(file_.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    if (handle_ < 0)
      throw Error(ErrorKind::Output, fmt::format("cannot write here: {}", std::strerror(errno)),
                  Where{path, 0, 0, ""});
    // Some network disks know no locks: there nothing keeps writers apart.
    if (flock(handle_, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) {
      close(handle_);
      throw Error(ErrorKind::Usage,
                  "another run writes this cache now: wait for it or stop it, or give -o another name",
                  Where{path, 0, 0, ""});
    }
    if (still(handle_, file_)) return;
    close(handle_);
  }
}

WriterLock::~WriterLock() {
  unlink(file_.c_str());
  close(handle_);
  for (const std::string& folder : made_) rmdir(folder.c_str());
}

bool onLocalDisk(const std::string& path) {
  // ext2 to ext4, xfs, btrfs, tmpfs, layered ones of containers, f2fs, zfs.
  static constexpr std::array<unsigned long, 7> kLocal = {0xef53,     0x58465342, 0x9123683e, 0x01021994,
                                                          0x794c7630, 0xf2f52010, 0x2fc12fc1};
  const std::filesystem::path folder = std::filesystem::absolute(path).parent_path();
  struct statfs s {};
  if (statfs(folder.c_str(), &s) != 0) return false;
  return std::find(kLocal.begin(), kLocal.end(), static_cast<unsigned long>(s.f_type)) != kLocal.end();
}

}  // namespace drubble::files
