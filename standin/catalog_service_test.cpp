#include "standin/catalog_service.h"

#include "core/catalog/fetch.h"
#include "core/catalog/import.h"
#include "core/catalog/star_store.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <chrono>
#include <fstream>
#include <random>
#include <thread>

// The client against the stand-in, over real HTTP on the loopback.

namespace pathmark::standin {
namespace {

namespace fs = std::filesystem;

class CatalogServiceTest : public testing::Test {
  protected:
    CatalogServiceTest() {
        std::ofstream out(folder_ / "stars.csv");
        out << "source_id,ra,dec,phot_g_mean_mag,pmra\n";
        std::mt19937 random(3);
        std::uniform_real_distribution<double> offset(-2.0, 2.0);
        for (int i = 0; i < 4000; ++i) {
            const double ra = 150.0 + offset(random);
            const double dec = 20.0 + offset(random);
            const double mag = 15.0 + offset(random);
            // Truth: the flat distance is good to 1e-4 degrees here; stars near the edge are not counted.
            const double apart = std::hypot((ra - 150.0) * std::cos(dec * 0.0174533), dec - 20.0);
            inside_ += apart < 0.999 ? 1 : 0;
            insideBright_ += apart < 0.999 && mag < 15.0 ? 1 : 0;
            if (std::abs(apart - 1.0) > 2e-3) {
                out << fmt::format(
                    "{},{:.8f},{:.8f},{:.4f},{}\n", i, ra, dec, mag, i % 2 == 0 ? "1.5" : "");
            } else {
                inside_ -= apart < 0.999 ? 1 : 0;
                insideBright_ -= apart < 0.999 && mag < 15.0 ? 1 : 0;
            }
        }
    }

    [[nodiscard]] catalog::FetchRequest request(const CatalogService& service,
                                                const std::string& path) const {
        catalog::FetchRequest r;
        r.service = service.address() + path;
        r.centre = skyDegrees(150.0, 20.0);
        r.radius = Angle::degrees(1.0);
        r.cache = folder_ / "fetched";
        r.timeoutSeconds = 1.0;
        r.tries = 2;
        return r;
    }

    [[nodiscard]] ServiceOptions options(Fault fault) const {
        ServiceOptions o;
        o.stars = folder_ / "stars.csv";
        o.fault = fault;
        return o;
    }

    /// The error of asking a service with a fault, and how long that took.
    [[nodiscard]] Error errorWith(Fault fault, const std::string& path) const {
        const CatalogService service(options(fault));
        const auto fetched = catalog::fetchField(request(service, path), {});
        EXPECT_FALSE(fetched);
        return fetched ? Error{ErrorId::BaseBadTime, "", ""} : fetched.error();
    }

    test_support::TemporaryFolder folder_;
    int inside_ = 0;
    int insideBright_ = 0;
};

struct Way {
    const char* path;
    bool binary;
};

class CatalogServiceWayTest : public CatalogServiceTest, public testing::WithParamInterface<Way> {};

TEST_P(CatalogServiceWayTest, AFieldIsFetchedImportedAndKept) {
    ServiceOptions o = options(Fault::None);
    o.binary = GetParam().binary;
    const CatalogService service(o);
    const auto fetched = catalog::fetchField(request(service, GetParam().path), {});
    ASSERT_TRUE(fetched) << toMessage(fetched.error());
    EXPECT_FALSE(fetched->fromCache);
    const auto report = catalog::importTables({fetched->table}, folder_ / "store", "field", {});
    ASSERT_TRUE(report && report->tables[0].second);
    EXPECT_EQ(report->store.stars, static_cast<std::uint64_t>(inside_));
    EXPECT_FALSE(report->tables[0].second->isCutOff);
    const auto again = catalog::fetchField(request(service, GetParam().path), {});
    ASSERT_TRUE(again);
    EXPECT_TRUE(again->fromCache);
    EXPECT_EQ(service.requests(), 1);
}

INSTANTIATE_TEST_SUITE_P(Ways,
                         CatalogServiceWayTest,
                         testing::Values(Way{"/tap", false},
                                         Way{"/tap", true},
                                         Way{"/cone", false},
                                         Way{"/cone?", true}));

TEST_F(CatalogServiceTest, AMagnitudeLimitIsAskedFor) {
    const CatalogService service(options(Fault::None));
    auto r = request(service, "/tap");
    r.faintestG = 15.0;
    const auto fetched = catalog::fetchField(r, {});
    ASSERT_TRUE(fetched);
    const auto report = catalog::importTables({fetched->table}, folder_ / "store", "field", {});
    EXPECT_EQ(report->store.stars, static_cast<std::uint64_t>(insideBright_));
}

TEST_F(CatalogServiceTest, ATableThatWasCutOffSaysSo) {
    ServiceOptions o = options(Fault::None);
    o.most = 100;
    const CatalogService service(o);
    const auto fetched = catalog::fetchField(request(service, "/tap"), {});
    ASSERT_TRUE(fetched);
    const auto report = catalog::importTables({fetched->table}, folder_ / "store", "field", {});
    EXPECT_EQ(report->store.stars, 100U);
    EXPECT_TRUE(report->tables[0].second->isCutOff);
}

TEST_F(CatalogServiceTest, AWebPageIsNoTable) {
    const Error error = errorWith(Fault::Web, "/tap");
    EXPECT_EQ(error.id, ErrorId::CatalogNoAnswer);
    EXPECT_NE(error.detail.find("Please log in"), std::string::npos) << error.detail;
    EXPECT_NE(error.detail.find("2 tries"), std::string::npos);
}

TEST_F(CatalogServiceTest, ALineClosedInTheMiddleLeavesNothing) {
    EXPECT_EQ(errorWith(Fault::Closes, "/cone").id, ErrorId::CatalogNoAnswer);
    EXPECT_TRUE(fs::is_empty(folder_ / "fetched"));
}

TEST_F(CatalogServiceTest, RubbishLeavesNothing) {
    EXPECT_EQ(errorWith(Fault::Rubbish, "/tap").id, ErrorId::CatalogNoAnswer);
    EXPECT_TRUE(fs::is_empty(folder_ / "fetched"));
}

TEST_F(CatalogServiceTest, AServiceThatHangsIsGivenUp) {
    const auto start = std::chrono::steady_clock::now();
    EXPECT_EQ(errorWith(Fault::Hangs, "/tap").id, ErrorId::CatalogNoAnswer);
    EXPECT_LT(std::chrono::steady_clock::now() - start, std::chrono::seconds(20));
}

TEST_F(CatalogServiceTest, ABrokenServiceIsTriedAgainAndABusyOneAnswers) {
    EXPECT_EQ(errorWith(Fault::Broken, "/cone").id, ErrorId::CatalogNoAnswer);
    const CatalogService busy(options(Fault::BusyOnce));
    EXPECT_TRUE(catalog::fetchField(request(busy, "/tap"), {}));
    EXPECT_EQ(busy.requests(), 2);
}

TEST_F(CatalogServiceTest, ASlowServiceIsWaitedFor) {
    const CatalogService service(options(Fault::Slow));
    auto r = request(service, "/cone");
    r.timeoutSeconds = 10.0;
    EXPECT_TRUE(catalog::fetchField(r, {}));
}

TEST_F(CatalogServiceTest, ARefusalIsNotTriedAgain) {
    const CatalogService service(options(Fault::Refuses));
    const auto fetched = catalog::fetchField(request(service, "/tap"), {});
    ASSERT_FALSE(fetched);
    EXPECT_EQ(fetched.error().id, ErrorId::CatalogServiceRefused);
    EXPECT_NE(fetched.error().detail.find("no such table"), std::string::npos);
    EXPECT_EQ(service.requests(), 1);
}

TEST_F(CatalogServiceTest, NobodyThereIsSaid) {
    auto r = [&] {
        const CatalogService gone(options(Fault::None));
        return request(gone, "/tap");
    }();
    EXPECT_EQ(catalog::fetchField(r, {}).error().id, ErrorId::CatalogNoAnswer);
}

TEST_F(CatalogServiceTest, WaitingCanBeStopped) {
    const CatalogService service(options(Fault::Hangs));
    auto r = request(service, "/tap");
    r.timeoutSeconds = 60.0;
    std::stop_source stop;
    const std::jthread stopper([&] {
        while (service.requests() == 0) {
            std::this_thread::yield();
        }
        stop.request_stop();
    });
    const auto start = std::chrono::steady_clock::now();
    const auto fetched = catalog::fetchField(r, {stop.get_token(), {}, {}});
    ASSERT_FALSE(fetched);
    EXPECT_EQ(fetched.error().id, ErrorId::BaseCancelled);
    EXPECT_LT(std::chrono::steady_clock::now() - start, std::chrono::seconds(5));
}

} // namespace
} // namespace pathmark::standin
