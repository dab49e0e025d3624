#include "core/samp/message.h"
#include "core/samp/xml_rpc.h"

#include "fuzz/input.h"

// Any text as a remote call and as its answer; what is understood is written again.

namespace pathmark {

void fuzz::execute(const Input& input) {
    const std::string text = input.text();
    if (const auto call = samp::callFrom(text)) {
        (void)samp::toXml(*call);
        for (const auto& value : call->parameters) {
            (void)samp::Message::from(value);
        }
    }
    if (const auto answer = samp::answerFrom(text)) {
        (void)samp::answerXml(*answer);
    }
}

} // namespace pathmark
