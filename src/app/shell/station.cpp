#include "app/shell/station.h"

#include "quantity/phrase.h"

namespace nk {

Expected<void> Station::writePicture(const QString& path) {
    return fail(ErrorKind::Unsupported, phrase("This station has no picture to export."),
                path.toStdString(), phrase("the Curve station."));
}

}  // namespace nk
