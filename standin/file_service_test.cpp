#include "standin/file_service.h"

#include "core/catalog/remote_file.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <fstream>
#include <sstream>

namespace pathmark::standin {
namespace {

using test_support::TemporaryFolder;

std::string textOf(const std::filesystem::path& path) {
    std::ifstream stream(path, std::ios::binary);
    std::ostringstream read;
    read << stream.rdbuf();
    return read.str();
}

/// A file of so many letters and an end.
std::string listOf(std::size_t letters, char letter) {
    std::string text(letters, letter);
    text.append("end");
    return text;
}

/// The client against a server of another house's HTTP: what one writes the other reads.
class RemoteFileTest : public ::testing::Test {
  protected:
    void SetUp() override { write(listOf(200'000, 'a')); }

    void write(const std::string& content) const {
        std::ofstream(served_ / "list.txt", std::ios::binary) << content;
    }

    [[nodiscard]] catalog::RemoteFile file(const FileService& service) const {
        catalog::RemoteFile wanted;
        wanted.url = service.address() + "/list.txt";
        wanted.target = kept_ / "data" / "list.txt";
        wanted.timeoutSeconds = 2.0;
        wanted.tries = 1;
        wanted.check = [](const std::filesystem::path& part) -> Result<bool> {
            const std::string content = textOf(part);
            return content.size() > 3 && content.substr(content.size() - 3) == "end"
                       ? Result<bool>(true)
                       : fail(ErrorId::OrbitNotReadable, "no end");
        };
        return wanted;
    }

    [[nodiscard]] FileServiceOptions options(Fault fault = Fault::None) const {
        return {served_.path(), 0, fault};
    }

    TemporaryFolder served_;
    TemporaryFolder kept_;
};

TEST_F(RemoteFileTest, AnUnchangedFileIsNotSentAgain) {
    const FileService service(options());
    const auto first = catalog::fetchFile(file(service), {});
    ASSERT_TRUE(first) << first.error().detail;
    EXPECT_TRUE(first->isNew);
    EXPECT_EQ(first->bytes, 200'003U);
    const auto second = catalog::fetchFile(file(service), {});
    ASSERT_TRUE(second);
    EXPECT_FALSE(second->isNew);
    write("newer, with its end");
    const auto third = catalog::fetchFile(file(service), {});
    ASSERT_TRUE(third);
    EXPECT_TRUE(third->isNew);
    EXPECT_EQ(textOf(file(service).target), "newer, with its end");
}

TEST_F(RemoteFileTest, ABrokenTransferGoesOnWhereItStood) {
    const FileService service(options(Fault::ClosesOnce));
    const auto first = catalog::fetchFile(file(service), {});
    ASSERT_FALSE(first);
    EXPECT_EQ(first.error().id, ErrorId::CatalogNoAnswer);
    EXPECT_FALSE(std::filesystem::exists(file(service).target));
    const auto second = catalog::fetchFile(file(service), {});
    ASSERT_TRUE(second) << second.error().detail;
    EXPECT_EQ(service.partRequests(), 1);
    EXPECT_TRUE(textOf(file(service).target) == listOf(200'000, 'a'));
}

/// The part that is there is of a file that has changed since: all of the new one is sent.
TEST_F(RemoteFileTest, APartOfAnOlderFileIsNotMixedIn) {
    const FileService service(options(Fault::ClosesOnce));
    ASSERT_FALSE(catalog::fetchFile(file(service), {}));
    write(listOf(150'000, 'b'));
    const auto second = catalog::fetchFile(file(service), {});
    ASSERT_TRUE(second) << second.error().detail;
    EXPECT_TRUE(textOf(file(service).target) == listOf(150'000, 'b'));
}

/// What was on its way when the machine lost its power may be missing of the part: it is not gone on with.
TEST_F(RemoteFileTest, APartFromBeforeAPowerCutIsNotMixedIn) {
    const FileService service(options(Fault::ClosesOnce));
    const auto wanted = file(service);
    ASSERT_FALSE(catalog::fetchFile(wanted, {}));
    const std::string part = wanted.target.string() + ".part";
    const auto size = std::filesystem::file_size(part);
    ASSERT_GT(size, 0U);
    std::ofstream(part, std::ios::binary) << std::string(size, '\0');
    std::string said = textOf(part + "-of");
    const auto power = said.find("power-on: ");
    ASSERT_NE(power, std::string::npos);
    said.replace(power, said.find('\n', power) - power, "power-on: another");
    std::ofstream(part + "-of") << said;
    ASSERT_TRUE(catalog::fetchFile(wanted, {}));
    EXPECT_TRUE(textOf(wanted.target) == listOf(200'000, 'a'));
}

TEST_F(RemoteFileTest, WhatIsNoUseReplacesNothing) {
    {
        const FileService good(options());
        ASSERT_TRUE(catalog::fetchFile(file(good), {}));
    }
    for (const Fault fault : {Fault::Rubbish, Fault::Web, Fault::Broken, Fault::Refuses}) {
        const FileService service(options(fault));
        auto wanted = file(service);
        const auto fetched = catalog::fetchFile(wanted, {});
        EXPECT_FALSE(fetched);
        EXPECT_TRUE(textOf(wanted.target) == listOf(200'000, 'a'));
        EXPECT_FALSE(std::filesystem::exists(wanted.target.string() + ".part"));
    }
}

TEST_F(RemoteFileTest, ABusyServiceIsTriedAgain) {
    const FileService service(options(Fault::BusyOnce));
    auto wanted = file(service);
    wanted.tries = 2;
    EXPECT_TRUE(catalog::fetchFile(wanted, {}));
    EXPECT_EQ(service.requests(), 2);
}

TEST_F(RemoteFileTest, WhatIsNotThereOrSilentIsSaid) {
    const FileService service(options(Fault::Hangs));
    const auto silent = catalog::fetchFile(file(service), {});
    ASSERT_FALSE(silent);
    EXPECT_EQ(silent.error().id, ErrorId::CatalogNoAnswer);
    auto missing = file(service);
    missing.url = service.address() + "/other.txt";
    const auto refused = catalog::fetchFile(missing, {});
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().id, ErrorId::CatalogServiceRefused);
    auto nobody = file(service);
    nobody.url = "http://127.0.0.1:1/list.txt";
    EXPECT_FALSE(catalog::fetchFile(nobody, {}));
}

} // namespace
} // namespace pathmark::standin
