#include "core/night/comet_table.h"

#include <gtest/gtest.h>

namespace pathmark::night {
namespace {

MeasurementRecord comet() {
    MeasurementRecord record;
    record.id = "0123456789abcdef";
    record.body = BodyId::of("C/2034 F1");
    record.time = *parseUtc("2034-03-17T21:00:00.5");
    record.seen = true;
    record.band = "V";
    record.coma = ComaPart{1.04, 321.6, "coma", {{5.0, 12.8765, 0.004}, {10.0, std::nullopt, 0.0}}};
    return record;
}

TEST(CometTableTest, ALineForEachCircleAndNoneWithoutAComet) {
    MeasurementRecord other;
    other.seen = true;
    MeasurementRecord notSeen = comet();
    notSeen.seen = false;
    const std::vector<MeasurementRecord> none{other, notSeen};
    EXPECT_EQ(cometTable(none), "");
    const std::vector<MeasurementRecord> all{other, comet(), notSeen};
    EXPECT_EQ(
        cometTable(all),
        "body,time_utc,radius_arcsec,mag,sigma_mag,band,coma_slope,extent_arcsec,centroid,id\n"
        "C/2034 F1,2034-03-17T21:00:00.500Z,5.00,12.8765,0.0040,V,1.040,321.6,coma,"
        "0123456789abcdef\n"
        "C/2034 F1,2034-03-17T21:00:00.500Z,10.00,,,V,1.040,321.6,coma,0123456789abcdef\n");
}

TEST(CometTableTest, ANameWithACommaStaysOneField) {
    MeasurementRecord record = comet();
    record.body = BodyId::of("Odd, one");
    const std::vector<MeasurementRecord> all{record};
    EXPECT_NE(cometTable(all).find("\n\"" + record.body.text() + "\",2034-03-17"),
              std::string::npos)
        << cometTable(all);
}

} // namespace
} // namespace pathmark::night
