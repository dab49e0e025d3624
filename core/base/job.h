#pragma once

#include <functional>
#include <stop_token>
#include <string>

namespace pathmark {

/// How far a long piece of work has come.
struct Progress {
    std::string stage; ///< what is being done, for a person
    int done = 0;
    int total = 0;
};

/// What long work is given: a way to be stopped and a way to tell how far it is.
struct Job {
    std::stop_token stop;
    std::function<void(const Progress&)> onProgress;   ///< may be empty; called from one thread
    std::function<void(const std::string&)> onMessage; ///< may be empty; one line for a person

    void progress(const std::string& stage, int done, int total) const {
        if (onProgress) {
            onProgress({stage, done, total});
        }
    }

    void message(const std::string& text) const {
        if (onMessage) {
            onMessage(text);
        }
    }
};

} // namespace pathmark
