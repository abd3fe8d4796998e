// narrow-knee: the desktop application.
#include <QApplication>
#include <QCommandLineParser>
#include <QDateTime>
#include <QDir>
#include <QEventLoop>
#include <QIcon>
#include <QSettings>
#include <QStandardPaths>
#include <QTimer>
#include <clocale>
#include <csignal>
#include <filesystem>

#include "app/bench/bench_station.h"
#include "app/shell/book_door.h"
#include "app/shell/main_window.h"
#include "app/shell/render.h"

namespace {

/// Two channels of the simulated instrument, when what is under way has been read.
void startBench(nk::MainWindow& window) {
    if (window.busy()) {
        QTimer::singleShot(200, &window, [&window] { startBench(window); });
        return;
    }
    for (std::size_t k = 0; k < window.stations().size(); ++k)
        if (auto* bench = qobject_cast<nk::BenchStation*>(window.stations()[k])) {
            window.setStation(static_cast<int>(k));
            constexpr double kSpeed = 60;
            bench->watchSimulated(kSpeed, 2, {"-dv:5mV"});
        }
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
    const QCommandLineOption bench(
        "bench", QApplication::tr("Start at the Bench station with the simulated instrument."));
    parser.addOptions({demo, render, bench});
    parser.process(app);

    // The toolkit takes the numbers of the C library from the environment; nothing here wants that.
    std::setlocale(LC_NUMERIC, "C");
    // A limit on file sizes is an error that is said, not an end.
    std::signal(SIGXFSZ, SIG_IGN);
    if (parser.isSet(render)) return nk::renderViews(app, parser.value(render));

    QSettings settings;
    nk::applyTheme(app, static_cast<nk::ThemeChoice>(settings.value("look", 0).toInt()));
    const QString data = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
    QDir().mkpath(data);
    QString path = settings.value("book", data + "/bench.nkbook").toString();
    QStringList logs;
    bool named = false;
    for (const QString& file : parser.positionalArguments()) {
        if (file.endsWith(".nkbook"))
            path = file, named = true;
        else
            logs << file;
    }
    if (parser.isSet(demo)) path = data + "/hill field kit.nkbook";
    nk::present(nk::Preferences::load());
    nk::Dialogs dialogs;
    // The book that was open last is not made anew when it is away.
    const bool make = parser.isSet(demo) || named || !settings.contains("book");
    auto book =
        nk::enterBook(path, make, dialogs, static_cast<double>(QDateTime::currentSecsSinceEpoch()));
    if (!book) return 1;
    // A book that was opened by its file is not made the one at home.
    if (!parser.isSet(demo) && !named)
        settings.setValue("book",
                          QString::fromStdString(std::filesystem::absolute(book->path()).string()));
    QApplication::setQuitOnLastWindowClosed(false);
    bool first = true;
    while (true) {
        nk::MainWindow window(std::move(book), dialogs);
        window.show();
        // One after the other: what was named is read when the demo is there.
        if (first)
            QTimer::singleShot(0, &window, [&] {
                if (parser.isSet(demo)) window.loadDemo();
                if (!logs.isEmpty()) window.openFiles(logs);
                if (parser.isSet(bench)) startBench(window);
            });
        first = false;
        // Another language: the window is closed as by its user, so that all is written, and the
        // same book opened in one made anew.
        constexpr int kReopen = 1000;
        int code = 0;
        QObject::connect(
            &window, &nk::MainWindow::reopenRequested, &app,
            [&window, &code] {
                code = kReopen;
                if (!window.close()) code = 0;
            },
            Qt::QueuedConnection);
        QObject::connect(&window, &nk::MainWindow::closed, &app,
                         [&code] { QApplication::exit(code); });
        QApplication::exec();
        if (code != kReopen) return code;
        book = nk::enterBook(QString::fromStdString(window.book().path().string()), false, dialogs,
                             static_cast<double>(QDateTime::currentSecsSinceEpoch()));
        if (!book) return 1;
    }
}
