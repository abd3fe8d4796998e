// narrow-knee: the desktop application.
#include <QApplication>
#include <QCommandLineParser>
#include <QDateTime>
#include <QDir>
#include <QEventLoop>
#include <QIcon>
#include <QMessageBox>
#include <QSettings>
#include <QStandardPaths>
#include <QTextStream>
#include <QTimer>

#include "app/shell/main_window.h"
#include "app/shell/render.h"
#include "book/backups.h"

namespace {

/// Opens a book; when it cannot be read and there are backups, offers the newest of them.
nk::Expected<std::unique_ptr<nk::BenchBook>> openOrRestore(const QString& path,
                                                           nk::Dialogs& dialogs) {
    auto book = nk::BenchBook::open(path.toStdString());
    if (book || book.error().kind == nk::ErrorKind::Unsupported) return book;
    const auto backups = nk::backupsOf(path.toStdString());
    if (!backups || backups->empty()) return book;
    const QString made = QDateTime::fromSecsSinceEpoch(static_cast<qint64>(backups->front().at_s))
                             .toString("d MMM yyyy, hh:mm");
    const QString question =
        QString::fromStdString(book.error().text()) + "\n\n" +
        QApplication::tr(
            "There is a backup of %1. Bring it back? The book as it is now is kept "
            "beside the backups.")
            .arg(made);
    if (!dialogs.confirm(nullptr, "Narrow Knee", question, QApplication::tr("Bring it back")))
        return book;
    const auto kept = nk::restoreBackup(path.toStdString(), backups->front().path,
                                        static_cast<double>(QDateTime::currentSecsSinceEpoch()));
    if (!kept) return tl::unexpected<nk::Error>(kept.error());
    return nk::BenchBook::open(path.toStdString());
}

}  // namespace

int main(int argc, char** argv) {
    // Pictures need no display.
    for (int k = 1; k < argc; ++k)
        if (QByteArray(argv[k]).startsWith("--render") &&
            !qEnvironmentVariableIsSet("QT_QPA_PLATFORM"))
            qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
    QApplication::setOrganizationName("narrow-knee");
    QApplication::setApplicationName("narrow-knee");
    QApplication::setApplicationDisplayName("Narrow Knee");
    QApplication::setApplicationVersion(NK_VERSION);
    QApplication::setDesktopFileName("narrow-knee");
    nk::loadFonts();  // also brings in the icons
    QApplication::setWindowIcon(QIcon(":/icons/narrow-knee.svg"));

    QCommandLineParser parser;
    parser.setApplicationDescription(QApplication::tr("Honest numbers from battery logs."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(
        "files", QApplication::tr("A bench book (.nkbook) and logs to open."), "[files …]");
    const QCommandLineOption demo(
        "demo", QApplication::tr("Start on the demo bench, in a book of its own."));
    const QCommandLineOption render(
        "render",
        QApplication::tr(
            "Write pictures of the main views of the demo bench to a folder and quit."),
        "folder");
    parser.addOptions({demo, render});
    parser.process(app);

    if (parser.isSet(render)) return nk::renderViews(app, parser.value(render));

    QSettings settings;
    nk::applyTheme(app, static_cast<nk::ThemeChoice>(settings.value("look", 0).toInt()));
    const QString data = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
    QDir().mkpath(data);
    QString path = settings.value("book", data + "/bench.nkbook").toString();
    QStringList logs;
    for (const QString& file : parser.positionalArguments()) {
        if (file.endsWith(".nkbook"))
            path = file;
        else
            logs << file;
    }
    if (parser.isSet(demo)) path = data + "/hill field kit.nkbook";
    nk::present(nk::Preferences::load());
    nk::Dialogs dialogs;
    auto book = openOrRestore(path, dialogs);
    if (!book) {
        QTextStream(stderr) << QString::fromStdString(book.error().text()) << Qt::endl;
        QMessageBox::critical(nullptr, "Narrow Knee", QString::fromStdString(book.error().text()));
        return 1;
    }
    bool first = true;
    while (true) {
        nk::MainWindow window(std::move(*book), dialogs);
        window.show();
        if (first && parser.isSet(demo)) QTimer::singleShot(0, &window, &nk::MainWindow::loadDemo);
        if (first && !logs.isEmpty())
            QTimer::singleShot(0, &window, [&] { window.openFiles(logs); });
        first = false;
        // Another language: the same book in a window made anew.
        constexpr int kReopen = 1000;
        QObject::connect(
            &window, &nk::MainWindow::reopenRequested, &app, [] { QApplication::exit(kReopen); },
            Qt::QueuedConnection);
        const int code = QApplication::exec();
        if (code != kReopen) return code;
        book = nk::BenchBook::open(window.book().path());
        if (!book) return 1;
    }
}
