#pragma once

#include "core/night/records.h"

#include <QImage>

namespace pathmark::desk {

/// The pixels around a measurement, north up and east to the left; null where its picture cannot be read. Reads a file: for a worker.
QImage cutout(const night::MeasurementRecord& measurement);

} // namespace pathmark::desk
