// Tables of the MAVLink 2 messages this program knows, and fields read and written through them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace anhinga::mavlink {

enum class FieldType : std::uint8_t { u8, i8, u16, i16, u32, i32, u64, i64, f32, f64, c8 };

struct FieldInfo {
    std::string_view name, unit;
    FieldType type = FieldType::u8;
    std::uint8_t count = 0;  // 0: a single value; else an array of that many
    std::uint8_t offset = 0;
    bool extension = false;
};

struct MessageInfo {
    std::uint32_t id = 0;
    std::string_view name;
    std::uint8_t crc_extra = 0;
    std::uint8_t length = 0, full_length = 0;  // without and with extensions
    std::vector<FieldInfo> fields;
    const FieldInfo* field(std::string_view field_name) const;
};

/// nullptr when the id or name is not in the table.
const MessageInfo* messageInfo(std::uint32_t id);
const MessageInfo* messageInfo(std::string_view name);
const std::vector<MessageInfo>& allMessages();

/// One message as it travels. `payload` always has the full length of its kind (zeros beyond what was received).
struct Message {
    const MessageInfo* info = nullptr;
    std::uint8_t system = 0, component = 0, sequence = 0;
    std::uint8_t payload[255] = {};

    Message() = default;
    /// An empty message of that name; the name must be in the table.
    explicit Message(std::string_view name);
    bool is(std::string_view name) const { return info != nullptr && info->name == name; }

    /// Value of a field as a double (64-bit integers lose their last bits). The field must exist.
    double number(std::string_view field, int index = 0) const;
    std::int64_t integer(std::string_view field, int index = 0) const;
    std::string text(std::string_view field) const;
    /// Integers are rounded and kept within the type's range; NaN becomes 0 in an integer field.
    Message& set(std::string_view field, double value, int index = 0);
    Message& setInteger(std::string_view field, std::int64_t value, int index = 0);
    Message& setText(std::string_view field, std::string_view text);
};

double readNumber(const std::uint8_t* payload, const FieldInfo& field, int index);
std::int64_t readInteger(const std::uint8_t* payload, const FieldInfo& field, int index);

}  // namespace anhinga::mavlink
