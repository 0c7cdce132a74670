// What a self-describing log is indexed as: the kinds of its records, their fields, and where they lie. A channel is
// decoded from it when it is asked for.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/MappedFile.h"
#include "core/flightlog/FlightLog.h"

namespace anhinga::selfdescribing {

constexpr std::size_t kMostInstances = 64;

bool isText(char type);
bool isNumber(char type);

/// Where the records of a kind lie; grows without moving what it holds.
class Places {
  public:
    void add(std::uint32_t at) {
        if (size_ % kBlock == 0) blocks_.push_back(std::make_unique<std::array<std::uint32_t, kBlock>>());
        (*blocks_.back())[size_ % kBlock] = at;
        ++size_;
    }
    std::uint32_t operator[](std::size_t i) const { return (*blocks_[i / kBlock])[i % kBlock]; }
    std::size_t size() const { return size_; }

  private:
    static constexpr std::size_t kBlock = 4096;
    std::vector<std::unique_ptr<std::array<std::uint32_t, kBlock>>> blocks_;
    std::size_t size_ = 0;
};

struct Field {
    std::string name, unit;
    char type = 0;
    std::size_t offset = 0;  // in a binary record
    double factor = 1;       // beside what the type says
    bool told = false;       // the file says unit and factor
};

/// One format, and where its records are.
struct Kind {
    int id = 0;
    std::string name;
    std::size_t length = 0;  // of a binary record
    std::vector<Field> fields;
    int time = -1, instance = -1;  // which fields
    double time_s = 1e-6;          // one unit of the time field
    std::map<int, Places> places;  // by instance
    std::size_t count() const {
        std::size_t n = 0;
        for (const auto& [i, p] : places) n += p.size();
        return n;
    }
    int field(std::string_view wanted) const {
        for (std::size_t i = 0; i < fields.size(); ++i)
            if (fields[i].name == wanted) return static_cast<int>(i);
        return -1;
    }
};

/// Formats and places of a log, and how a value is read: the same for both forms.
class Index {
  public:
    explicit Index(SharedBytes bytes) : bytes_(std::move(bytes)) {}
    virtual ~Index() = default;
    /// Finds every record. Damage is counted in the log.
    virtual void build(FlightLog& log) = 0;
    /// Nobody waits any more.
    void settle() { bytes_.told = nullptr; }
    virtual double number(const Kind& kind, std::uint32_t at, std::size_t field) const = 0;
    virtual std::string text(const Kind& kind, std::uint32_t at, std::size_t field) const = 0;

    double time(const Kind& kind, std::uint32_t at) const {
        return number(kind, at, static_cast<std::size_t>(kind.time)) * kind.time_s;
    }
    const Kind* kind(std::string_view name) const {
        const auto at = by_name_.find(name);
        return at == by_name_.end() ? nullptr : &kinds_.at(at->second);
    }
    const std::map<int, Kind>& kinds() const { return kinds_; }
    std::map<int, Kind>& kinds() { return kinds_; }

  protected:
    /// A format as its record says it. False when it cannot be.
    bool define(int id, std::size_t length, const std::string& name, const std::string& types,
                const std::string& labels);

    SharedBytes bytes_;
    std::map<int, Kind> kinds_;
    std::map<std::string, int, std::less<>> by_name_;
};

/// Binary: each record begins with 0xA3 0x95 and its number.
std::shared_ptr<Index> binaryIndex(const SharedBytes& bytes);
/// One record a line.
std::shared_ptr<Index> textIndex(const SharedBytes& bytes);

}  // namespace anhinga::selfdescribing
