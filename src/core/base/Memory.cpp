#include "core/base/Memory.h"

#include <malloc.h>

namespace anhinga {

void keepFreedMemory() {
    mallopt(M_MMAP_THRESHOLD, 64 << 20);
    mallopt(M_TRIM_THRESHOLD, 256 << 20);
}

}  // namespace anhinga
