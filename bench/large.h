// A large onboard log for the benches.
#pragma once

#include <cstddef>
#include <string>

void writeLargeLog(const std::string& path, std::size_t bytes);
