#include "tests/support/fault_disk.h"

#include <sqlite3.h>

#include <chrono>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <map>
#include <mutex>
#include <random>
#include <thread>
#include <vector>

namespace nk::test {

namespace {

/// One write (or truncation, with `truncated`) that is not on the disk for sure yet.
struct Unsynced {
    sqlite3_int64 at = 0;
    std::string before, after;  ///< what the file held there, and what it holds now
    bool truncated = false;
    sqlite3_int64 sizeBefore = 0;
};

struct State {
    sqlite3_vfs* real = nullptr;
    sqlite3_vfs vfs{};
    std::int64_t operation = 0;
    std::int64_t failFrom = -1;
    Fault fault = Fault::None;
    int slow_ms = 0;
    std::map<std::string, std::vector<Unsynced>> unsynced;

    bool failing() const { return failFrom >= 0 && operation > failFrom; }
    /// Counts an operation; SQLITE_OK, or what it fails with.
    int next(bool sync) {
        ++operation;
        if (!failing()) return SQLITE_OK;
        switch (fault) {
            case Fault::Full:
                return sync ? SQLITE_OK : SQLITE_FULL;
            case Fault::Sync:
                return sync ? SQLITE_IOERR_FSYNC : SQLITE_OK;
            case Fault::PowerLoss:
                return sync ? SQLITE_IOERR_FSYNC : SQLITE_IOERR_WRITE;
            default:
                return SQLITE_OK;
        }
    }
    bool dead() const { return failing() && fault == Fault::PowerLoss; }
};

State* disk = nullptr;
std::mutex mutex;  // a window writes from several threads

/// A file of ours: SQLite's real one stands behind it in memory.
struct File {
    sqlite3_file base;
    std::string* name;
    sqlite3_file* real() { return reinterpret_cast<sqlite3_file*>(this + 1); }
};

File* of(sqlite3_file* f) {
    return reinterpret_cast<File*>(f);
}
sqlite3_file* real(sqlite3_file* f) {
    return of(f)->real();
}

std::string content(sqlite3_file* f, sqlite3_int64 at, sqlite3_int64 count) {
    sqlite3_int64 size = 0;
    real(f)->pMethods->xFileSize(real(f), &size);
    count = std::max<sqlite3_int64>(0, std::min(count, size - at));
    std::string out(static_cast<std::size_t>(count), '\0');
    if (count > 0) real(f)->pMethods->xRead(real(f), out.data(), static_cast<int>(count), at);
    return out;
}

int xClose(sqlite3_file* f) {
    const int rc = real(f)->pMethods->xClose(real(f));
    delete of(f)->name;
    return rc;
}
int xRead(sqlite3_file* f, void* to, int count, sqlite3_int64 at) {
    const std::lock_guard lock(mutex);
    if (disk->dead()) return SQLITE_IOERR_READ;
    return real(f)->pMethods->xRead(real(f), to, count, at);
}
int xWrite(sqlite3_file* f, const void* from, int count, sqlite3_int64 at) {
    if (disk->slow_ms > 0) std::this_thread::sleep_for(std::chrono::milliseconds(disk->slow_ms));
    const std::lock_guard lock(mutex);
    if (const int rc = disk->next(false); rc != SQLITE_OK) return rc;
    sqlite3_int64 size = 0;
    real(f)->pMethods->xFileSize(real(f), &size);
    disk->unsynced[*of(f)->name].push_back(
        {at, content(f, at, count),
         std::string(static_cast<const char*>(from), static_cast<std::size_t>(count)), false,
         size});
    return real(f)->pMethods->xWrite(real(f), from, count, at);
}
int xTruncate(sqlite3_file* f, sqlite3_int64 size) {
    const std::lock_guard lock(mutex);
    if (const int rc = disk->next(false); rc != SQLITE_OK) return rc;
    sqlite3_int64 before = 0;
    real(f)->pMethods->xFileSize(real(f), &before);
    disk->unsynced[*of(f)->name].push_back({size, content(f, size, before), {}, true, before});
    return real(f)->pMethods->xTruncate(real(f), size);
}
int xSync(sqlite3_file* f, int flags) {
    const std::lock_guard lock(mutex);
    if (const int rc = disk->next(true); rc != SQLITE_OK) return rc;
    const int rc = real(f)->pMethods->xSync(real(f), flags);
    if (rc == SQLITE_OK) disk->unsynced.erase(*of(f)->name);
    return rc;
}
int xFileSize(sqlite3_file* f, sqlite3_int64* size) {
    return real(f)->pMethods->xFileSize(real(f), size);
}
int xLock(sqlite3_file* f, int kind) {
    return real(f)->pMethods->xLock(real(f), kind);
}
int xUnlock(sqlite3_file* f, int kind) {
    return real(f)->pMethods->xUnlock(real(f), kind);
}
int xCheckReservedLock(sqlite3_file* f, int* out) {
    return real(f)->pMethods->xCheckReservedLock(real(f), out);
}
int xFileControl(sqlite3_file* f, int what, void* arg) {
    return real(f)->pMethods->xFileControl(real(f), what, arg);
}
int xSectorSize(sqlite3_file* f) {
    return real(f)->pMethods->xSectorSize(real(f));
}
int xDeviceCharacteristics(sqlite3_file*) {
    return 0;  // promises nothing: neither atomic writes nor safe appends
}
int xShmMap(sqlite3_file* f, int region, int size, int extend, void volatile** out) {
    return real(f)->pMethods->xShmMap(real(f), region, size, extend, out);
}
int xShmLock(sqlite3_file* f, int offset, int n, int flags) {
    return real(f)->pMethods->xShmLock(real(f), offset, n, flags);
}
void xShmBarrier(sqlite3_file* f) {
    real(f)->pMethods->xShmBarrier(real(f));
}
int xShmUnmap(sqlite3_file* f, int remove) {
    return real(f)->pMethods->xShmUnmap(real(f), remove);
}

const sqlite3_io_methods kMethods = {2,
                                     xClose,
                                     xRead,
                                     xWrite,
                                     xTruncate,
                                     xSync,
                                     xFileSize,
                                     xLock,
                                     xUnlock,
                                     xCheckReservedLock,
                                     xFileControl,
                                     xSectorSize,
                                     xDeviceCharacteristics,
                                     xShmMap,
                                     xShmLock,
                                     xShmBarrier,
                                     xShmUnmap,
                                     nullptr,
                                     nullptr};

int xOpen(sqlite3_vfs*, const char* name, sqlite3_file* f, int flags, int* outFlags) {
    f->pMethods = nullptr;
    if (disk->dead()) return SQLITE_CANTOPEN;
    if (disk->fault == Fault::Open && disk->failFrom >= 0) return SQLITE_CANTOPEN;
    const int rc = disk->real->xOpen(disk->real, name, real(f), flags, outFlags);
    if (rc != SQLITE_OK) return rc;
    of(f)->name = new std::string(name == nullptr ? "" : name);
    f->pMethods = &kMethods;
    return rc;
}
int xDelete(sqlite3_vfs*, const char* name, int sync) {
    const std::lock_guard lock(mutex);
    if (disk->dead()) return SQLITE_IOERR_DELETE;
    disk->unsynced.erase(name);
    return disk->real->xDelete(disk->real, name, sync);
}

/// Pieces of 512 bytes of a write, each of which a loss of power keeps or loses.
constexpr std::size_t kSector = 512;

}  // namespace

FaultDisk::FaultDisk() {
    static State state;
    state = State{};
    disk = &state;
    state.real = sqlite3_vfs_find("unix");
    state.vfs = *state.real;
    state.vfs.zName = "nk-fault";
    state.vfs.pNext = nullptr;
    state.vfs.szOsFile = static_cast<int>(sizeof(File)) + state.real->szOsFile;
    state.vfs.xOpen = xOpen;
    state.vfs.xDelete = xDelete;
    sqlite3_vfs_register(&state.vfs, 1);
}

FaultDisk::~FaultDisk() {
    sqlite3_vfs_unregister(&disk->vfs);
    sqlite3_vfs_register(disk->real, 1);
}

void FaultDisk::failFrom(std::int64_t at, Fault fault) {
    disk->failFrom = at;
    disk->fault = fault;
}
void FaultDisk::heal() {
    disk->failFrom = -1;
}
std::int64_t FaultDisk::operations() const {
    return disk->operation;
}
void FaultDisk::slow(int each_ms) {
    disk->slow_ms = each_ms;
}

void FaultDisk::powerBack(std::uint64_t seed) {
    namespace fs = std::filesystem;
    std::mt19937_64 random(seed);
    for (auto& [name, writes] : disk->unsynced) {
        if (!fs::exists(name)) continue;
        std::string bytes;
        {
            std::ifstream file(name, std::ios::binary);
            bytes.assign(std::istreambuf_iterator<char>(file), {});
        }
        // Back to what was synced, newest write first …
        for (auto w = writes.rbegin(); w != writes.rend(); ++w) {
            bytes.resize(
                std::max(bytes.size(), static_cast<std::size_t>(w->at) + w->before.size()));
            std::memcpy(bytes.data() + w->at, w->before.data(), w->before.size());
            bytes.resize(static_cast<std::size_t>(w->sizeBefore));
        }
        // … and then again what arrived all the same.
        for (const Unsynced& w : writes) {
            if (w.truncated) {
                if (random() % 2 == 0) bytes.resize(static_cast<std::size_t>(w.at));
                continue;
            }
            for (std::size_t from = 0; from < w.after.size(); from += kSector) {
                if (random() % 2 == 0) continue;
                const std::size_t count = std::min(kSector, w.after.size() - from);
                const std::size_t at = static_cast<std::size_t>(w.at) + from;
                bytes.resize(std::max(bytes.size(), at + count));
                std::memcpy(bytes.data() + at, w.after.data() + from, count);
            }
        }
        std::ofstream(name, std::ios::binary | std::ios::trunc) << bytes;
        std::error_code none;
        if (name.ends_with("-wal"))
            fs::remove(name.substr(0, name.size() - 4) + "-shm", none);  // memory, not disk
    }
    disk->unsynced.clear();
    heal();
}

}  // namespace nk::test
