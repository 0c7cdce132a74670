#include "core/mavlink/Messages.h"

#include <algorithm>
#include <cassert>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>
#include <unordered_map>

namespace anhinga::mavlink {

namespace {

struct Row {
    std::uint32_t id;
    const char* name;
    std::uint8_t crc_extra, length, full_length;
    const char* fields;
};
constexpr Row kRows[] = {
#include "core/mavlink/MessageTable.inc"
};

constexpr std::string_view kTypeNames[] = {"u8", "i8", "u16", "i16", "u32", "i32", "u64", "i64", "f32", "f64", "c8"};
constexpr std::uint8_t kTypeSizes[] = {1, 1, 2, 2, 4, 4, 8, 8, 4, 8, 1};

std::uint8_t sizeOf(FieldType type) {
    return kTypeSizes[static_cast<std::size_t>(type)];
}

MessageInfo parseRow(const Row& row) {
    MessageInfo info{row.id, row.name, row.crc_extra, row.length, row.full_length, {}};
    std::string_view text = row.fields;
    bool extension = false;
    unsigned offset = 0;
    while (!text.empty()) {
        if (text.front() == '|') {
            extension = true;
            text.remove_prefix(1);
            continue;
        }
        const auto end = text.find(';');
        std::string_view field = text.substr(0, end);
        text.remove_prefix(end + 1);
        auto space = field.find(' ');
        std::string_view type = field.substr(0, space);
        field.remove_prefix(space + 1);
        FieldInfo f;
        f.extension = extension;
        f.offset = static_cast<std::uint8_t>(offset);
        if (const auto star = type.find('*'); star != std::string_view::npos) {
            std::from_chars(type.data() + star + 1, type.data() + type.size(), f.count);
            type = type.substr(0, star);
        }
        space = field.find(' ');
        f.name = field.substr(0, space);
        if (space != std::string_view::npos) f.unit = field.substr(space + 1);
        const auto* known = std::find(std::begin(kTypeNames), std::end(kTypeNames), type);
        f.type = static_cast<FieldType>(known - std::begin(kTypeNames));
        offset += sizeOf(f.type) * std::max<unsigned>(1, f.count);
        info.fields.push_back(f);
    }
    return info;
}

struct Tables {
    std::vector<MessageInfo> all;
    std::unordered_map<std::uint32_t, const MessageInfo*> by_id;
    std::unordered_map<std::string_view, const MessageInfo*> by_name;
    Tables() {
        for (const Row& row : kRows) all.push_back(parseRow(row));
        for (const MessageInfo& info : all) {
            by_id[info.id] = &info;
            by_name[info.name] = &info;
        }
    }
};
const Tables& tables() {
    static const Tables t;
    return t;
}

template <class T>
T load(const std::uint8_t* at) {
    T v;
    std::memcpy(&v, at, sizeof v);  // MAVLink and this machine are little-endian
    return v;
}

template <class T>
void storeClamped(std::uint8_t* at, double value) {
    T v{};
    if (!std::isnan(value)) {
        const double rounded = std::round(value);
        if (rounded >= static_cast<double>(std::numeric_limits<T>::max()))
            v = std::numeric_limits<T>::max();
        else if (rounded <= static_cast<double>(std::numeric_limits<T>::min()))
            v = std::numeric_limits<T>::min();
        else
            v = static_cast<T>(rounded);
    }
    std::memcpy(at, &v, sizeof v);
}

const FieldInfo& need(const MessageInfo* info, std::string_view name, int index) {
    const FieldInfo* f = info != nullptr ? info->field(name) : nullptr;
    assert(f != nullptr && "no such field in this message");
    assert(index >= 0 && index < std::max<int>(1, f->count));
    (void)index;
    return *f;
}

}  // namespace

const FieldInfo* MessageInfo::field(std::string_view field_name) const {
    for (const FieldInfo& f : fields)
        if (f.name == field_name) return &f;
    return nullptr;
}

const std::vector<MessageInfo>& allMessages() {
    return tables().all;
}

const MessageInfo* messageInfo(std::uint32_t id) {
    // The commonest ids are small: answer them from a flat table.
    static const auto flat = [] {
        std::vector<const MessageInfo*> table(512, nullptr);
        for (const MessageInfo& info : tables().all)
            if (info.id < table.size()) table[info.id] = &info;
        return table;
    }();
    if (id < flat.size()) return flat[id];
    const auto at = tables().by_id.find(id);
    return at == tables().by_id.end() ? nullptr : at->second;
}

const MessageInfo* messageInfo(std::string_view name) {
    const auto at = tables().by_name.find(name);
    return at == tables().by_name.end() ? nullptr : at->second;
}

double readNumber(const std::uint8_t* payload, const FieldInfo& f, int index) {
    const std::uint8_t* at = payload + f.offset + index * sizeOf(f.type);
    if (f.type == FieldType::f32) return static_cast<double>(load<float>(at));
    if (f.type == FieldType::f64) return load<double>(at);
    if (f.type == FieldType::u64) return static_cast<double>(load<std::uint64_t>(at));
    return static_cast<double>(readInteger(payload, f, index));
}

std::int64_t readInteger(const std::uint8_t* payload, const FieldInfo& f, int index) {
    const std::uint8_t* at = payload + f.offset + index * sizeOf(f.type);
    switch (f.type) {
        case FieldType::u8:
        case FieldType::c8:
            return *at;
        case FieldType::i8:
            return load<std::int8_t>(at);
        case FieldType::u16:
            return load<std::uint16_t>(at);
        case FieldType::i16:
            return load<std::int16_t>(at);
        case FieldType::u32:
            return load<std::uint32_t>(at);
        case FieldType::i32:
            return load<std::int32_t>(at);
        case FieldType::u64:
        case FieldType::i64:
            return load<std::int64_t>(at);
        default: {
            const double v = readNumber(payload, f, index);
            return std::isfinite(v) && std::abs(v) < 9e18 ? static_cast<std::int64_t>(v) : 0;
        }
    }
}

Message::Message(std::string_view name) : info(messageInfo(name)) {
    assert(info != nullptr && "no such message");
}

double Message::number(std::string_view field, int index) const {
    return readNumber(payload, need(info, field, index), index);
}

std::int64_t Message::integer(std::string_view field, int index) const {
    return readInteger(payload, need(info, field, index), index);
}

std::string Message::text(std::string_view field) const {
    const FieldInfo& f = need(info, field, 0);
    const auto* from = reinterpret_cast<const char*>(payload + f.offset);
    return {from, strnlen(from, f.count)};
}

Message& Message::set(std::string_view field, double value, int index) {
    const FieldInfo& f = need(info, field, index);
    std::uint8_t* at = payload + f.offset + index * sizeOf(f.type);
    switch (f.type) {
        case FieldType::u8:
        case FieldType::c8:
            storeClamped<std::uint8_t>(at, value);
            break;
        case FieldType::i8:
            storeClamped<std::int8_t>(at, value);
            break;
        case FieldType::u16:
            storeClamped<std::uint16_t>(at, value);
            break;
        case FieldType::i16:
            storeClamped<std::int16_t>(at, value);
            break;
        case FieldType::u32:
            storeClamped<std::uint32_t>(at, value);
            break;
        case FieldType::i32:
            storeClamped<std::int32_t>(at, value);
            break;
        case FieldType::u64:
            storeClamped<std::uint64_t>(at, value);
            break;
        case FieldType::i64:
            storeClamped<std::int64_t>(at, value);
            break;
        case FieldType::f32: {
            const auto v = static_cast<float>(value);
            std::memcpy(at, &v, sizeof v);
            break;
        }
        case FieldType::f64:
            std::memcpy(at, &value, sizeof value);
            break;
    }
    return *this;
}

Message& Message::setInteger(std::string_view field, std::int64_t value, int index) {
    const FieldInfo& f = need(info, field, index);
    if (f.type == FieldType::f32 || f.type == FieldType::f64) return set(field, static_cast<double>(value), index);
    std::memcpy(payload + f.offset + index * sizeOf(f.type), &value, sizeOf(f.type));
    return *this;
}

Message& Message::setText(std::string_view field, std::string_view text) {
    const FieldInfo& f = need(info, field, 0);
    std::memset(payload + f.offset, 0, f.count);
    std::memcpy(payload + f.offset, text.data(), std::min<std::size_t>(text.size(), f.count));
    return *this;
}

}  // namespace anhinga::mavlink
