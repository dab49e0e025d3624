#pragma once

#include "core/base/result.h"
#include "core/frame/frame_info.h"
#include "core/frame/header_table.h"

#include <optional>
#include <string>

namespace pathmark::frame {

struct FoundText {
    std::string keyword;
    std::string value;
};

struct FoundNumber {
    std::string keyword;
    double value = 0.0; ///< in the unit of the section
};

/// A value in the unit of the table ("ms", "K", ...) in that of its section: seconds, millimetres, micrometres,
/// degrees Celsius; as it is for units that are the section's own.
double inSectionUnit(double value, const std::string& unit);

/// Looks values up in a header by the words of a table and remembers where each came from.
class ValueFinder {
  public:
    ValueFinder(const Header& header, const HeaderTable& table, FrameInfo& info)
        : header_(header), table_(table), info_(info) {}

    /// The first keyword of the section that has a value.
    [[nodiscard]] std::optional<FoundText> text(const std::string& section) const;

    /// The first keyword whose value is a number; words after it ("1000 mm") are passed over. In the
    /// section's own unit (inSectionUnit).
    [[nodiscard]] std::optional<FoundNumber> number(const std::string& section) const;

    /// number(), written down among the frame's origins with its unit.
    std::optional<double>
    take(const std::string& section, const std::string& what, const std::string& unit);
    std::string takeText(const std::string& section, const std::string& what);

    void remember(std::string what, std::string value, std::string from) const {
        info_.origins.push_back({std::move(what), std::move(value), std::move(from)});
    }

    [[nodiscard]] const Header& header() const { return header_; }

    [[nodiscard]] const HeaderTable& table() const { return table_; }

    /// The comment of a keyword in lower case; empty where there is none.
    [[nodiscard]] std::string comment(const std::string& keyword) const;

  private:
    const Header& header_;
    const HeaderTable& table_;
    FrameInfo& info_;
};

} // namespace pathmark::frame
