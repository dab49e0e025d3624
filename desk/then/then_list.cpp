#include "desk/then/then_list.h"

#include "core/base/sexagesimal.h"
#include "desk/picture/named_controls.h"
#include "desk/shell/words.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QSignalBlocker>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr int kListRows = 5;

enum Column { Place, SkyPlace, Snr, Over, Known, kColumns };

QString textOf(const SkyPos& place) {
    return QString::fromStdString(toHours(place.longitude, 2) + "  " +
                                  toDegrees(place.latitude, 1));
}

} // namespace

ThenList::ThenList(QWidget* parent)
    : QWidget(parent), around_(namedChoice("thenAround",
                                           tr("Where it is listed"),
                                           {tr("in the whole field"),
                                            tr("around the body in hand"),
                                            tr("around the mark in hand")})),
      radius_(new QDoubleSpinBox), table_(new QTableWidget) {
    layOut();
    connect(around_, &QComboBox::currentIndexChanged, this, [this](int index) {
        radius_->setEnabled(index != static_cast<int>(Around::WholeField));
        emit circleChanged();
    });
    connect(radius_, &QDoubleSpinBox::valueChanged, this, &ThenList::circleChanged);
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int row) {
        if (const auto place = placeOf(row)) {
            emit chosen(*place);
        }
    });
}

void ThenList::layOut() {
    radius_->setObjectName("thenRadius");
    radius_->setAccessibleName(tr("Radius of the circle"));
    radius_->setRange(0.2, 120.0);
    radius_->setDecimals(1);
    radius_->setValue(5.0);
    radius_->setSuffix("′");
    radius_->setKeyboardTracking(false);
    radius_->setEnabled(false);
    table_->setObjectName("thenList");
    table_->setAccessibleName(tr("What stands in one and not in the other"));
    table_->setColumnCount(kColumns);
    table_->setHorizontalHeaderLabels(
        {QString(), tr("RA, Dec"), tr("S/N"), tr("over limit"), tr("known as")});
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setSectionResizeMode(SkyPlace, QHeaderView::Stretch);
    for (const auto& [column, widest] : {std::pair{Place, "marked"},
                                         std::pair{Snr, "0000.0"},
                                         std::pair{Over, "over limit  "},
                                         std::pair{Known, "(00000000)"}}) {
        setColumnFor(*table_, column, widest);
    }
    setRowHeight(*table_, 22);
    table_->setFixedHeight(static_cast<int>(scaled(22 * (kListRows + 1) + 8)));
    auto* where = new QHBoxLayout;
    auto* listed = new QLabel(tr("Listed"));
    setTone(*listed, Tone::Quiet);
    where->addWidget(listed);
    where->addWidget(around_);
    where->addWidget(radius_);
    where->addStretch();
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addLayout(where);
    layout->addWidget(table_);
}

void ThenList::setLights(std::vector<night::DifferingLight> lights) {
    const auto inHand = placeOf(table_->currentRow());
    lights_ = std::move(lights);
    fill(inHand);
}

/// What differs first, what was marked by hand below it; what was in hand stays in hand.
void ThenList::fill(const std::optional<SkyPos>& inHand) {
    const QSignalBlocker quiet(table_);
    table_->setRowCount(static_cast<int>(lights_.size() + marks_.size()));
    const auto put = [this](int row, const QStringList& cells) {
        for (int column = 0; column < kColumns; ++column) {
            table_->setItem(row, column, new QTableWidgetItem(cells.value(column)));
        }
    };
    int row = 0;
    for (const night::DifferingLight& light : lights_) {
        put(row++,
            {light.isNew ? tr("now") : tr("then"),
             textOf(light.sky),
             QString::number(light.snr, 'f', 1),
             QString::number(light.overLimit, 'f', 1),
             QString::fromStdString(light.known)});
    }
    for (const SkyPos& mark : marks_) {
        put(row++, {tr("marked"), textOf(mark)});
    }
    table_->setCurrentCell(-1, -1);
    for (int i = 0; inHand && i < table_->rowCount(); ++i) {
        if (separation(*placeOf(i), *inHand).arcsec() == 0.0) {
            table_->setCurrentCell(i, 0);
        }
    }
}

void ThenList::addMark(const SkyPos& place) {
    marks_.push_back(place);
    fill(place);
    emit marksChanged();
}

void ThenList::removeMark() {
    const int mark = markRow();
    if (mark < 0) {
        return;
    }
    marks_.erase(marks_.begin() + mark);
    fill({});
    emit marksChanged();
}

int ThenList::markRow() const {
    const int mark = table_->currentRow() - static_cast<int>(lights_.size());
    return mark < static_cast<int>(marks_.size()) ? std::max(mark, -1) : -1;
}

std::optional<SkyPos> ThenList::placeOf(int row) const {
    const auto at = static_cast<std::size_t>(row);
    if (row < 0 || at >= lights_.size() + marks_.size()) {
        return std::nullopt;
    }
    return at < lights_.size() ? lights_[at].sky : marks_[at - lights_.size()];
}

std::optional<SkyPos> ThenList::placeInHand() const {
    return placeOf(std::max(0, table_->currentRow()));
}

std::optional<SkyPos> ThenList::markInHand() const {
    if (marks_.empty()) {
        return std::nullopt;
    }
    const int mark = markRow();
    return mark < 0 ? marks_.back() : marks_[static_cast<std::size_t>(mark)];
}

ThenList::Around ThenList::around() const {
    return static_cast<Around>(around_->currentIndex());
}

Angle ThenList::radius() const {
    return Angle::arcsec(60.0 * radius_->value());
}

} // namespace pathmark::desk
