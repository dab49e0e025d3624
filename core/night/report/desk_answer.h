#pragma once

#include "core/catalog/http_client.h"
#include "core/night/report/sending_record.h"

namespace pathmark::night {

/// What a report desk's answer means for a sending; receipt, words and lines are taken in.
///
/// Model    A receipt is a JSON object with `receipt`, `lines` of {`id`, `taken`, `words`}, and `words`; lines that are not named are taken.
///          Or up to 500 characters of plain text, which are the receipt. 4xx: nothing was taken; 408, 429, 503 and other addresses
///          (3xx): it waits. Anything else, a web page among it, tells nothing: it may have arrived.
SendingState takeAnswer(const catalog::HttpAnswer& answer, Sending& sending);

/// What a desk says that was asked for a sending by its id.
enum class DeskKnows {
    Taken,      ///< the answer is its receipt
    Working,    ///< it has it, and has not answered yet
    Nothing,    ///< it never had it
    CannotTell, ///< it does not speak of this
};

/// Model    200 and a receipt whose `id` is that asked for; 202: working; 404 with the JSON object {"id": ..., "known": false}: nothing. A
///          404 without it is any web server's, and tells nothing.
DeskKnows takeStatus(const catalog::HttpAnswer& answer, Sending& sending);

} // namespace pathmark::night
