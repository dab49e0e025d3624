#include "core/samp/deliveries.h"

#include "core/catalog/http_client.h"

namespace pathmark::samp {
namespace {

constexpr int kMostFailures = 3;
constexpr std::size_t kMostAnswer = 4U << 20U;

} // namespace

/// What waits for one program.
struct Deliveries::Lane {
    std::mutex guard;
    std::condition_variable wake;
    std::deque<std::pair<std::string, RpcCall>> waiting;
    bool isEnding = false;
    std::stop_source stop;
    std::thread thread;
};

Deliveries::~Deliveries() {
    std::map<std::string, std::shared_ptr<Lane>> lanes;
    {
        const std::lock_guard lock(guard_);
        lanes.swap(lanes_);
    }
    for (auto& [to, lane] : lanes) {
        {
            const std::lock_guard lock(lane->guard);
            lane->isEnding = true;
        }
        lane->stop.request_stop();
        lane->wake.notify_all();
        lane->thread.join();
    }
    for (std::thread& thread : ended_) {
        thread.join();
    }
}

bool Deliveries::send(const std::string& to, const std::string& url, RpcCall call) {
    std::shared_ptr<Lane> lane;
    {
        const std::lock_guard lock(guard_);
        auto& known = lanes_[to];
        if (known == nullptr) {
            known = std::make_shared<Lane>();
            known->thread = std::thread([this, to, lane = known] { work(to, lane); });
        }
        lane = known;
    }
    {
        const std::lock_guard lock(lane->guard);
        if (lane->waiting.size() >= kMostWaiting) {
            return false;
        }
        lane->waiting.emplace_back(url, std::move(call));
    }
    lane->wake.notify_one();
    return true;
}

void Deliveries::forget(const std::string& to) {
    const std::lock_guard lock(guard_);
    const auto known = lanes_.find(to);
    if (known == lanes_.end()) {
        return;
    }
    {
        const std::lock_guard inner(known->second->guard);
        known->second->isEnding = true;
    }
    known->second->stop.request_stop();
    known->second->wake.notify_all();
    ended_.push_back(std::move(known->second->thread));
    lanes_.erase(known);
}

void Deliveries::work(const std::string& to, const std::shared_ptr<Lane>& lane) {
    int failures = 0;
    for (;;) {
        std::pair<std::string, RpcCall> next;
        {
            std::unique_lock lock(lane->guard);
            lane->wake.wait(lock, [&] { return lane->isEnding || !lane->waiting.empty(); });
            if (lane->isEnding) {
                return;
            }
            next = std::move(lane->waiting.front());
            lane->waiting.pop_front();
        }
        const auto answer = callOver(next.first, next.second);
        failures = answer || answer.error().id == ErrorId::SampRefused ? 0 : failures + 1;
        if (failures >= kMostFailures) {
            onGone_(to);
            return;
        }
    }
}

Result<nlohmann::json> callOver(const std::string& url, const RpcCall& call, double seconds) {
    catalog::HttpRequest request;
    request.url = url;
    request.form = toXml(call);
    request.headers = {"Content-Type: text/xml", "Expect:"};
    request.timeoutSeconds = seconds;
    request.mostBytes = kMostAnswer;
    request.follows = false;
    const auto answer = catalog::sendRequest(request, {});
    if (!answer) {
        return fail(ErrorId::SampNoHub, answer.error().detail, url);
    }
    if (answer->status != 200) {
        return fail(ErrorId::SampRefused, "It answered with an error of its server.", url);
    }
    return answerFrom(answer->body);
}

} // namespace pathmark::samp
