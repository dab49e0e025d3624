#include "core/night/report/desk_answer.h"

#include "fuzz/input.h"

// Any text as a report desk's answer to a report, and to a question about one, under each of the states of HTTP that count.

namespace pathmark {

void fuzz::execute(const Input& input) {
    for (const long status : {200L, 202L, 400L, 404L, 500L}) {
        catalog::HttpAnswer answer;
        answer.status = status;
        answer.body = input.text();
        night::Sending sending;
        sending.id = "one";
        sending.lines.resize(2);
        (void)night::takeAnswer(answer, sending);
        (void)night::takeStatus(answer, sending);
    }
}

} // namespace pathmark
