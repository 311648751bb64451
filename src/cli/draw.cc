#include "cli/command.h"
namespace drubble::cli { int drawCommand(const std::vector<std::string>&) { return 0; } }
