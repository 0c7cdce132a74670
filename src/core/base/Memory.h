// How the process deals with freed memory.
#pragma once

namespace anhinga {

/// Snapshots of some megabytes are made and dropped many times a second while something is dragged. Given back to the
/// system each time, they cost more in page faults than in computing; kept, they are simply used again.
void keepFreedMemory();

}  // namespace anhinga
