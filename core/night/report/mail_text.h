#pragma once

#include <string>

namespace pathmark::night {

/// A mail with one text.
struct Mail {
    std::string from; ///< an address; may be empty
    std::string to;   ///< an address; may be empty: the observer fills it in
    std::string subject;
    std::string date; ///< ISO UTC
    std::string id;   ///< of the message, without its brackets
    std::string text;
};

/// The mail as a file that mail programs open (.eml): lines end as the standard has it, and no address brings headers of its own.
///
/// Source   RFC 5322; RFC 2047 (words of the subject beyond ASCII); RFC 2045 (base64 where a line is too long)
std::string toMailText(const Mail& mail);

} // namespace pathmark::night
