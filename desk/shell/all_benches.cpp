#include "desk/archive/archive_bench.h"
#include "desk/benches/gather_bench.h"
#include "desk/benches/header_panel.h"
#include "desk/benches/match_bench.h"
#include "desk/comet/comet_bench.h"
#include "desk/curve/light_curve_bench.h"
#include "desk/evidence/brightness_bench.h"
#include "desk/evidence/evidence_panel.h"
#include "desk/evidence/growth_bench.h"
#include "desk/facts/facts_bench.h"
#include "desk/newbody/new_body_bench.h"
#include "desk/orbit/orbit_bench.h"
#include "desk/picture/film_bench.h"
#include "desk/picture/picture_bench.h"
#include "desk/report/report_bench.h"
#include "desk/shell/bench.h"
#include "desk/solve/solve_controller.h"
#include "desk/stack/stack_bench.h"
#include "desk/sweep/sweep_bench.h"
#include "desk/then/then_bench.h"

namespace pathmark::desk {

std::vector<Bench*> allBenches(const BenchParts& parts) {
    return {
        new GatherBench(parts.session),
        new FactsBench(parts.session),
        new HeaderPanel(parts.session.jobs()),
        new MatchBench(parts.session, parts.sky),
        new SolveController(parts.session, parts.sky, &parts.owner),
        new ArchiveBench(parts.session),
        new OrbitBench(parts.session),
        new NewBodyBench(parts.session),
        new SweepBench(parts.session),
        new ThenBench(parts.session, parts.sky),
        new StackBench(parts.session),
        new EvidencePanel(parts.session),
        new BrightnessBench(parts.session),
        new GrowthBench(parts.session, parts.sky),
        new LightCurveBench(parts.session, parts.sky),
        new CometBench(parts.session, parts.sky),
        new PictureBench(parts.session, parts.sky),
        new FilmBench(parts.session),
        new ReportBench(parts.session),
    };
}

} // namespace pathmark::desk
