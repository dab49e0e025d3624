#include "core/samp/client.h"
#include "core/samp/deliveries.h"
#include "core/samp/xml_rpc.h"
#include "tests/support/temporary_folder.h"

#include <arpa/inet.h>
#include <gtest/gtest.h>
#include <malloc.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <cstdio>
#include <fstream>
#include <functional>
#include <mutex>
#include <thread>

namespace pathmark::samp {
namespace {

using nlohmann::json;
using test_support::TemporaryFolder;

bool waitUntil(const std::function<bool()>& what, double seconds = 10.0) {
    const auto until = std::chrono::steady_clock::now() + std::chrono::duration<double>(seconds);
    while (!what()) {
        if (std::chrono::steady_clock::now() > until) {
            return false;
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    }
    return true;
}

/// The program, or the hub, in another language; what it tells is read line by line.
class Other {
  public:
    Other(const char* what, const std::filesystem::path& lock) {
        int in[2];
        int out[2];
        EXPECT_EQ(pipe(in) | pipe(out), 0);
        const std::string script =
            std::string(PATHMARK_SOURCE_DIR) + "/tests/samp/other_program.py";
        child_ = fork();
        if (child_ == 0) {
            dup2(in[0], 0);
            dup2(out[1], 1);
            for (int handle = 3; handle < 64; ++handle) {
                close(handle);
            }
            execlp("python3", "python3", script.c_str(), what, lock.c_str(), nullptr);
            _exit(127);
        }
        close(in[0]);
        close(out[1]);
        in_ = in[1];
        out_ = fdopen(out[0], "r");
        id = next("ready").value("id", "");
    }

    ~Other() {
        close(in_);
        fclose(out_);
        kill(child_, SIGTERM);
        waitpid(child_, nullptr, 0);
    }

    Other(const Other&) = delete;
    Other& operator=(const Other&) = delete;

    /// The next thing of a kind that it tells; others in between are kept for later.
    json next(const std::string& event) {
        for (auto it = told_.begin(); it != told_.end(); ++it) {
            if (it->at("event") == event) {
                json told = std::move(*it);
                told_.erase(it);
                return told;
            }
        }
        char* line = nullptr;
        std::size_t room = 0;
        json told = json::object();
        while (getline(&line, &room, out_) > 0) {
            told = json::parse(line);
            if (told.at("event") == event || told.at("event") == "fault") {
                break;
            }
            told_.push_back(std::move(told));
        }
        free(line);
        EXPECT_EQ(told.value("event", ""), event) << told;
        return told;
    }

    /// The next notification of a kind.
    json notified(const std::string& kind) {
        for (;;) {
            json told = next("notified");
            if (!told.contains("message") || told["message"]["samp.mtype"] == kind) {
                return told.value("message", json::object());
            }
        }
    }

    void say(const json& words) const {
        const std::string line = words.dump() + "\n";
        EXPECT_EQ(write(in_, line.data(), line.size()), static_cast<ssize_t>(line.size()));
    }

    json act(const char* service, const json& with) {
        say({{"do", service}, {"with", with}});
        return next("done").at("result");
    }

    std::string id;

  private:
    std::vector<json> told_;
    pid_t child_ = -1;
    int in_ = -1;
    FILE* out_ = nullptr;
};

/// Remembers what was said to us.
struct Heard {
    std::mutex guard;
    std::vector<std::pair<std::string, Message>> messages;

    ClientOptions options(std::vector<std::string> kinds) {
        ClientOptions o;
        o.subscriptions = std::move(kinds);
        o.onMessage = [this](const std::string& sender, const Message& message) {
            const std::lock_guard lock(guard);
            messages.emplace_back(sender, message);
            return message.text("wrong").empty() ? okResponse({{"heard", message.kind}})
                                                 : errorResponse("It is wrong.");
        };
        return o;
    }

    std::size_t count() {
        const std::lock_guard lock(guard);
        return messages.size();
    }
};

class SampTest : public testing::Test {
  protected:
    [[nodiscard]] std::filesystem::path lock() const { return folder_ / "lock"; }

    std::unique_ptr<Hub> startHub() {
        auto hub = Hub::start(lock());
        EXPECT_TRUE(hub) << hub.error().detail;
        return std::move(*hub);
    }

    TemporaryFolder folder_;
};

json pointing() {
    return Message{"coord.pointAt.sky", {{"ra", "177.25"}, {"dec", "-2.5"}}}.toJson();
}

/// Truth: a client in another language, from the standard's text. All services of the hub, both ways.
TEST_F(SampTest, OurHubServesAnotherProgram) {
    const auto hub = startHub();
    Heard heard;
    auto client = Client::join(hub->address(), heard.options({"coord.*", "image.load.fits"}));
    ASSERT_TRUE(client) << client.error().detail;
    Other other("program", lock());
    EXPECT_EQ(hub->members(), 2U);
    EXPECT_EQ((*client)->nameOf(other.id), "Other");
    // It to us: notify, call, call and wait, to all.
    other.act("notify", {(*client)->id(), pointing()});
    ASSERT_TRUE(waitUntil([&] { return heard.count() == 1; }));
    EXPECT_EQ(heard.messages[0].first, other.id);
    EXPECT_EQ(heard.messages[0].second.text("ra"), "177.25");
    other.act("call", {(*client)->id(), "tag7", pointing()});
    const json answer = other.next("answered");
    EXPECT_EQ(answer.at("tag"), "tag7");
    EXPECT_EQ(answer.at("response").at("samp.result").at("heard"), "coord.pointAt.sky");
    const json waited = other.act("callAndWait", {(*client)->id(), pointing(), "10"});
    EXPECT_EQ(waited.at("samp.status"), "samp.ok");
    EXPECT_EQ(other.act("notifyAll", json::array({pointing()})), json::array({(*client)->id()}));
    EXPECT_EQ(other.act("callAll", {"tag8", pointing()}).size(), 1U);
    EXPECT_EQ(other.next("answered").at("tag"), "tag8");
    const json wrong =
        other.act("callAndWait",
                  {(*client)->id(), Message{"image.load.fits", {{"wrong", "yes"}}}.toJson(), "10"});
    EXPECT_EQ(wrong.at("samp.error").at("samp.errortxt"), "It is wrong.");
    // What the hub knows.
    EXPECT_EQ(other.act("getSubscribedClients", json::array({"coord.pointAt.sky"})).size(), 1U);
    EXPECT_EQ(other.act("getSubscribedClients", json::array({"table.load.votable"})).size(), 0U);
    EXPECT_EQ(other.act("getRegisteredClients", json::array()).size(), 2U);
    EXPECT_EQ(other.act("getMetadata", json::array({(*client)->id()})).at("samp.name"),
              "Path Mark");
    EXPECT_TRUE(other.act("getSubscriptions", json::array({(*client)->id()})).contains("coord.*"));
    // We to it.
    EXPECT_EQ((*client)->tellAll({"table.load.votable", {{"url", "file:///x"}}}), 1U);
    EXPECT_EQ(other.notified("table.load.votable").at("samp.params").at("url"), "file:///x");
    const auto asked = (*client)->ask(other.id, {"table.highlight.row", {{"row", "3"}}}, 5.0);
    ASSERT_TRUE(asked) << asked.error().detail;
    EXPECT_EQ(asked->at("samp.result").at("echo"), "table.highlight.row");
    EXPECT_EQ((*client)->listeners("table.select.rowList")->size(), 1U);
    // It is told of who comes and goes.
    const std::string id = (*client)->id();
    client->reset();
    EXPECT_EQ(other.notified("samp.hub.event.unregister").at("samp.params").at("id"), id);
}

/// Truth: a hub in another language. Our client among others of it.
TEST_F(SampTest, OurClientWorksWithAnotherHub) {
    const Other hub("hub", lock());
    Heard heard;
    const auto address = readLockFile(lock());
    ASSERT_TRUE(address) << address.error().detail;
    const auto client = Client::join(*address, heard.options({"coord.pointAt.sky"}));
    ASSERT_TRUE(client) << client.error().detail;
    Other other("program", lock());
    EXPECT_EQ((*client)->listeners("image.load.fits")->front().name, "Other");
    EXPECT_EQ((*client)->tellAll(Message::from(pointing())), 1U);
    EXPECT_EQ(other.notified("coord.pointAt.sky"), pointing());
    const auto asked = (*client)->ask(other.id, {"samp.app.ping", {}}, 5.0);
    ASSERT_TRUE(asked) << asked.error().detail;
    other.act("notify", {(*client)->id(), pointing()});
    ASSERT_TRUE(waitUntil([&] { return heard.count() == 1; }));
    EXPECT_EQ(other.act("callAndWait", {(*client)->id(), pointing(), "10"}).at("samp.status"),
              "samp.ok");
}

/// The secret is this user's alone; a file that others may read is not trusted, one that tells of no hub is replaced.
TEST_F(SampTest, TheLockFileIsPrivate) {
    {
        const auto hub = startHub();

        struct stat status {};

        ASSERT_EQ(stat(lock().c_str(), &status), 0);
        EXPECT_EQ(status.st_mode & 0777U, 0600U);
        EXPECT_EQ(Hub::start(lock()).error().id, ErrorId::SampNoHub) << "there is one already";
        EXPECT_EQ(readLockFile(lock())->url, hub->address().url);
        ASSERT_EQ(chmod(lock().c_str(), 0644), 0);
        EXPECT_EQ(readLockFile(lock()).error().id, ErrorId::SampNoHub);
        ASSERT_EQ(chmod(lock().c_str(), 0600), 0);
    }
    EXPECT_FALSE(std::filesystem::exists(lock())) << "the hub took it away";
    ASSERT_TRUE(writeLockFile(lock(), {"http://127.0.0.1:9/xmlrpc", "old"}));
    setenv("SAMP_HUB", ("std-lockurl:file://" + lock().string()).c_str(), 1);
    const auto client = Client::joinOrStart({});
    unsetenv("SAMP_HUB");
    ASSERT_TRUE(client) << client.error().detail;
    EXPECT_TRUE((*client)->hasOwnHub());
    ASSERT_TRUE(writeLockFile(folder_ / "far", {"http://example.invalid:80/xmlrpc", "x"}));
    EXPECT_EQ(readLockFile(folder_ / "far").error().id, ErrorId::SampNoHub)
        << "no hub of this machine";
}

/// Whatever comes in: the hub answers with a fault, and goes on.
TEST_F(SampTest, BadCallersHarmThemselvesAlone) {
    const auto hub = startHub();
    const auto call = [&](const std::string& method, const json& parameters) {
        return callOver(hub->address().url, {method, parameters}, 5.0);
    };
    EXPECT_FALSE(call("samp.hub.register", {"guess"}));
    EXPECT_FALSE(call("samp.hub.register", json::array()));
    EXPECT_FALSE(call("samp.hub.notifyAll", {"no key", pointing()}));
    EXPECT_FALSE(call("samp.hub.nonsense", {"x"}));
    EXPECT_FALSE(call("system.listMethods", json::array()));
    const auto client = Client::join(hub->address(), {});
    ASSERT_TRUE(client);
    const auto key = call("samp.hub.register", {hub->address().secret});
    ASSERT_TRUE(key);
    const std::string own = key->at("samp.private-key").get<std::string>();
    EXPECT_FALSE(call("samp.hub.notify", {own, "nobody", pointing()}));
    EXPECT_FALSE(call("samp.hub.call", {own, (*client)->id(), "t", "no map"}));
    EXPECT_FALSE(call("samp.hub.reply", {own, "m999", json::object()}));
    EXPECT_FALSE(call("samp.hub.declareMetadata", {own, "no map"}));
    json deep = "x";
    for (int i = 0; i < 200; ++i) {
        deep = json::array({deep});
    }
    EXPECT_FALSE(call("samp.hub.notifyAll", {own, deep}));
    EXPECT_FALSE(call("samp.hub.notifyAll", {own, {{"samp.mtype", std::string(5'000'000, 'x')}}}));
    for (const char* rubbish : {"", "<", "<methodCall>", "\x01\xff", "<?xml version='1.0'?><a/>"}) {
        EXPECT_FALSE(callFrom(rubbish)) << rubbish;
        EXPECT_FALSE(answerFrom(rubbish)) << rubbish;
    }
    // One that lies about how much it says, and one that never ends its words.
    const int port = std::stoi(hub->address().url.substr(hub->address().url.rfind(':') + 1));
    for (const char* length : {"1000", "99999999999", "-5", "x"}) {
        const int line = socket(AF_INET, SOCK_STREAM, 0);
        sockaddr_in there{};
        there.sin_family = AF_INET;
        there.sin_port = htons(static_cast<std::uint16_t>(port));
        there.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        ASSERT_EQ(connect(line, reinterpret_cast<sockaddr*>(&there), sizeof there), 0);
        const std::string words =
            std::string("POST /xmlrpc HTTP/1.1\r\nHost: x\r\nContent-Length: ") + length +
            "\r\n\r\n<methodCall>";
        EXPECT_EQ(send(line, words.data(), words.size(), MSG_NOSIGNAL),
                  static_cast<ssize_t>(words.size()));
        close(line);
    }
    EXPECT_TRUE(call("samp.hub.ping", json::array()));
}

/// A program whose address answers nothing does not keep the others waiting, and a flood for it is lost for it alone.
TEST_F(SampTest, AProgramThatHangsKeepsNobodyWaiting) {
    const auto hub = startHub();
    const auto call = [&](const std::string& method, const json& parameters) {
        return callOver(hub->address().url, {method, parameters}, 5.0);
    };
    // A port that takes connections and says nothing.
    const int port = socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    socklen_t size = sizeof address;
    ASSERT_EQ(bind(port, reinterpret_cast<sockaddr*>(&address), size), 0);
    ASSERT_EQ(listen(port, 64), 0);
    getsockname(port, reinterpret_cast<sockaddr*>(&address), &size);
    const auto registered = call("samp.hub.register", {hub->address().secret});
    const std::string key = registered->at("samp.private-key").get<std::string>();
    ASSERT_TRUE(call("samp.hub.setXmlrpcCallback",
                     {key, "http://127.0.0.1:" + std::to_string(ntohs(address.sin_port))}));
    ASSERT_TRUE(call("samp.hub.declareSubscriptions", {key, {{"*", json::object()}}}));
    Heard heard;
    const auto listener = Client::join(hub->address(), heard.options({"coord.pointAt.sky"}));
    const auto sender = Client::join(hub->address(), {});
    const auto begun = std::chrono::steady_clock::now();
    for (int i = 0; i < 2500; ++i) {
        ASSERT_TRUE((*sender)->tellAll(Message::from(pointing())));
    }
    EXPECT_TRUE(waitUntil([&] { return heard.count() == 2500; }, 30.0)) << heard.count();
    EXPECT_LT(std::chrono::steady_clock::now() - begun, std::chrono::seconds(40));
    const std::string id = registered->at("samp.self-id").get<std::string>();
    EXPECT_FALSE((*sender)->ask(id, Message::from(pointing()), 1.0)) << "what waits for it is full";
    close(port);
}

/// Ten thousand messages to a program and back: all arrive, in order, and nothing is kept of them.
TEST_F(SampTest, TenThousandMessagesLeaveNothingBehind) {
    const auto hub = startHub();
    std::atomic<int> heard{0};
    std::atomic<int> outOfOrder{0};
    ClientOptions options;
    options.subscriptions = {"coord.pointAt.sky"};
    options.onMessage = [&](const std::string&, const Message& message) {
        const int number = std::stoi(message.text("number"));
        outOfOrder += number == heard ? 0 : 1;
        ++heard;
        return okResponse();
    };
    const auto listener = Client::join(hub->address(), options);
    const auto sender = Client::join(hub->address(), {});
    const auto send = [&](int from, int to) {
        for (int i = from; i < to; ++i) {
            ASSERT_TRUE((*sender)->tellAll(
                {"coord.pointAt.sky", {{"ra", "1"}, {"dec", "2"}, {"number", std::to_string(i)}}}));
            if (i % 500 == 0) {
                ASSERT_TRUE(waitUntil([&] { return heard > i - 500; }));
            }
        }
        ASSERT_TRUE(waitUntil([&] { return heard == to; }));
    };
    send(0, 1000);
    malloc_trim(0);
    const auto before = mallinfo2().uordblks;
    send(1000, 10000);
    EXPECT_EQ(outOfOrder, 0);
    // What is under way when the last one is heard ends soon.
    EXPECT_TRUE(waitUntil([&] {
        malloc_trim(0);
        return mallinfo2().uordblks < before + 300'000;
    })) << mallinfo2().uordblks - before
        << " bytes more in use";
}

TEST(XmlRpcTest, ValuesComeBackAsTheyWere) {
    const json value = {{"text", "a <b> & \"c\" é 小\n\t"},
                        {"list", {"1", json::array({"2"}), json::object()}},
                        {"map", {{"x", ""}}}};
    const auto call = callFrom(toXml({"samp.hub.notify", json::array({"key", value})}));
    ASSERT_TRUE(call) << call.error().detail;
    EXPECT_EQ(call->method, "samp.hub.notify");
    EXPECT_EQ(call->parameters, json::array({"key", value}));
    EXPECT_EQ(answerFrom(answerXml(value)), value);
    EXPECT_EQ(answerFrom(faultXml("no such <thing>")).error().detail, "no such <thing>");
    EXPECT_EQ(answerFrom(answerXml(std::string("a\x01\x1b") + "b")), json("ab"));
    // What careless programs send.
    const auto careless =
        callFrom("<?xml version='1.0'?><methodCall><methodName>m</methodName><params>"
                 "<param><value><int>7</int></value></param>"
                 "<param><value><boolean>1</boolean></value></param>"
                 "<param><value><double>2.5</double></value></param>"
                 "<param><value>bare</value></param></params></methodCall>");
    ASSERT_TRUE(careless) << careless.error().detail;
    EXPECT_EQ(careless->parameters, json::array({"7", "1", "2.5", "bare"}));
}

TEST(SubscriptionTest, CoversWhatItSays) {
    EXPECT_TRUE(covers("*", "coord.pointAt.sky"));
    EXPECT_TRUE(covers("coord.*", "coord.pointAt.sky"));
    EXPECT_FALSE(covers("coord.*", "coordinate.x"));
    EXPECT_FALSE(covers("coord.*", "coord"));
    EXPECT_TRUE(covers("coord.pointAt.sky", "coord.pointAt.sky"));
    EXPECT_FALSE(covers("coord.pointAt", "coord.pointAt.sky"));
}

} // namespace
} // namespace pathmark::samp
