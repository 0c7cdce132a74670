// A small map tile server on 127.0.0.1 for practice and tests: cuts tiles out of a georeferenced picture and serves
// them as /{z}/{x}/{y}.png over HTTP. Can be slow or fail on purpose.
#pragma once

#include <atomic>
#include <cstdint>
#include <memory>
#include <string>

#include "core/base/Result.h"

namespace anhinga {

struct TileServerOptions {
    std::string picture = {};  // any raster GDAL reads
    int port = 0;              // 0: any that is free
    int delay_ms = 0;          // before each answer
    int fail_after = -1;       // so many tiles are served, then every answer is an error; negative: never
    int zoom_max = 20;         // deeper tiles are "not found"
};

class TileServer {
  public:
    /// Listens on 127.0.0.1 from now on, on a thread of its own.
    static Result<std::unique_ptr<TileServer>> start(const TileServerOptions& options);
    /// Stops listening; open connections are closed.
    ~TileServer();
    TileServer(const TileServer&) = delete;
    TileServer& operator=(const TileServer&) = delete;
    int port() const;
    /// Pattern for this server: "http://127.0.0.1:PORT/{z}/{x}/{y}.png".
    std::string pattern() const;
    /// Tiles served so far.
    std::uint64_t served() const;
    /// From now on every answer is an error (true), or no more (false).
    void setFailing(bool on);

  private:
    struct Impl;
    explicit TileServer(std::unique_ptr<Impl> impl);
    std::unique_ptr<Impl> impl_;
};

}  // namespace anhinga
