// MAT-files through libmatio: numeric vectors of equal length become a table.
#include <dlfcn.h>
#include <fmt/format.h>
#include <matio.h>
#include <unistd.h>

#include <cmath>
#include <cstdio>
#include <map>
#include <memory>

#include "importer.h"
#include "isolated.h"
#include "mat_check.h"
#include "quantity/c_numbers.h"
#include "quantity/phrase.h"

namespace nk {

namespace {

/// What is used of libmatio. With the three dozen libraries behind it, it takes as long to load as
/// all else the program needs: it is opened when the first MAT-file is.
struct Matio {
    decltype(&::Mat_Open) open;
    decltype(&::Mat_Close) close;
    decltype(&::Mat_VarReadNextInfo) nextInfo;
    decltype(&::Mat_VarReadDataAll) readAll;
    decltype(&::Mat_VarFree) free;
    decltype(&::Mat_VarGetNumberOfFields) fields;
    decltype(&::Mat_VarGetStructFieldnames) fieldNames;
    decltype(&::Mat_VarGetStructFieldByIndex) field;
    bool whole = false;

    Matio() {
        void* const library = ::dlopen(NK_MATIO, RTLD_NOW | RTLD_LOCAL);
        if (library == nullptr) return;
        whole = find(library, "Mat_Open", open) && find(library, "Mat_Close", close) &&
                find(library, "Mat_VarReadNextInfo", nextInfo) &&
                find(library, "Mat_VarReadDataAll", readAll) &&
                find(library, "Mat_VarFree", free) &&
                find(library, "Mat_VarGetNumberOfFields", fields) &&
                find(library, "Mat_VarGetStructFieldnames", fieldNames) &&
                find(library, "Mat_VarGetStructFieldByIndex", field);
    }

  private:
    template <class Function>
    static bool find(void* library, const char* name, Function& out) {
        out = reinterpret_cast<Function>(::dlsym(library, name));
        return out != nullptr;
    }
};

const Matio& matio() {
    static const Matio library;
    return library;
}

using Vectors = std::vector<std::pair<std::string, std::vector<double>>>;

template <class T>
void copyNumbers(const matvar_t& v, std::size_t count, std::vector<double>& out) {
    const T* data = static_cast<const T*>(v.data);
    out.assign(data, data + count);
}

/// A real numeric vector as doubles; empty for everything else.
std::vector<double> numbersOf(const matvar_t& v) {
    std::vector<double> out;
    if (v.data == nullptr || v.rank != 2 || v.isComplex) return out;
    if (v.dims[0] != 1 && v.dims[1] != 1) return out;
    const std::size_t count = v.dims[0] * v.dims[1];
    if (count < 3 ||
        static_cast<std::size_t>(v.nbytes) < count * static_cast<std::size_t>(v.data_size))
        return out;
    switch (v.class_type) {
        case MAT_C_DOUBLE:
            copyNumbers<double>(v, count, out);
            break;
        case MAT_C_SINGLE:
            copyNumbers<float>(v, count, out);
            break;
        case MAT_C_INT8:
            copyNumbers<std::int8_t>(v, count, out);
            break;
        case MAT_C_UINT8:
            copyNumbers<std::uint8_t>(v, count, out);
            break;
        case MAT_C_INT16:
            copyNumbers<std::int16_t>(v, count, out);
            break;
        case MAT_C_UINT16:
            copyNumbers<std::uint16_t>(v, count, out);
            break;
        case MAT_C_INT32:
            copyNumbers<std::int32_t>(v, count, out);
            break;
        case MAT_C_UINT32:
            copyNumbers<std::uint32_t>(v, count, out);
            break;
        default:
            break;
    }
    return out;
}

/// The vectors of a variable, and of the fields of a struct one level down.
void collect(const matvar_t& v, const std::string& prefix, int depth, Vectors& out) {
    const std::string name = prefix + (v.name != nullptr ? v.name : "");
    if (auto numbers = numbersOf(v); !numbers.empty()) {
        out.emplace_back(name, std::move(numbers));
        return;
    }
    if (v.class_type != MAT_C_STRUCT || depth > 2 || v.data == nullptr) return;
    // The library's functions on structs take non-const pointers but change nothing.
    auto* var = const_cast<matvar_t*>(&v);
    const unsigned fields = matio().fields(var);
    char* const* names = matio().fieldNames(var);
    for (unsigned k = 0; k < fields; ++k) {
        const matvar_t* field = matio().field(var, k, 0);
        if (field == nullptr) continue;
        if (auto numbers = numbersOf(*field); !numbers.empty())
            out.emplace_back(names[k], std::move(numbers));
        else if (field->class_type == MAT_C_STRUCT)
            collect(*field, "", depth + 1, out);
    }
}

/// The library reads from a path only: the bytes go through an unnamed file.
class NamelessFile {
  public:
    explicit NamelessFile(std::string_view bytes) : file_(std::tmpfile()) {
        good_ = file_ != nullptr &&
                std::fwrite(bytes.data(), 1, bytes.size(), file_) == bytes.size() &&
                std::fflush(file_) == 0;
    }
    NamelessFile(const NamelessFile&) = delete;
    NamelessFile& operator=(const NamelessFile&) = delete;
    ~NamelessFile() {
        if (file_ != nullptr) std::fclose(file_);
    }
    bool good() const { return good_; }
    std::string path() const { return fmt::format("/proc/self/fd/{}", ::fileno(file_)); }

  private:
    std::FILE* file_;
    bool good_ = false;
};

Expected<std::string> loadMat(std::string_view bytes, const std::string& name,
                              const char* accepted) {
    const CNumbers plain;
    const NamelessFile file(bytes);
    if (!file.good())
        return fail(ErrorKind::Storage,
                    phrase("There is no room for a temporary copy of the file."), name,
                    phrase("some free space in the temporary folder."));
    const std::unique_ptr<mat_t, int (*)(mat_t*)> mat(
        matio().open(file.path().c_str(), MAT_ACC_RDONLY), matio().close);
    if (!mat)
        return fail(ErrorKind::Unreadable,
                    phrase("The MAT-file cannot be read; it is damaged or of a kind "
                           "the library does not know."),
                    name, accepted);
    Vectors all;
    for (int guard = 0; guard < 4096; ++guard) {
        const std::unique_ptr<matvar_t, void (*)(matvar_t*)> v(matio().nextInfo(mat.get()),
                                                               matio().free);
        if (!v) break;
        // A damaged file may promise more than it can hold.
        double elements = 1;
        for (int d = 0; d < v->rank && v->dims != nullptr; ++d)
            elements *= static_cast<double>(v->dims[d]);
        if (elements > 2e8) continue;
        if (matio().readAll(mat.get(), v.get()) != 0) continue;
        collect(*v, "", 0, all);
    }
    std::map<std::size_t, std::size_t> lengths;
    for (const auto& [title, numbers] : all) ++lengths[numbers.size()];
    std::size_t rows = 0;
    std::size_t most = 1;
    for (const auto& [length, count] : lengths)
        if (count > most || (count == most && length > rows && count >= 2))
            rows = length, most = count;
    if (rows == 0)
        return fail(ErrorKind::NotATable, phrase("This MAT-file has no vectors of one length."),
                    name, accepted);
    std::string out;
    Vectors table;
    for (auto& [title, numbers] : all)
        if (numbers.size() == rows) table.emplace_back(title, std::move(numbers));
    for (std::size_t k = 0; k < table.size(); ++k) out += (k > 0 ? "\t" : "") + table[k].first;
    out.push_back('\n');
    for (std::size_t r = 0; r < rows; ++r) {
        for (std::size_t k = 0; k < table.size(); ++k) {
            if (k > 0) out.push_back('\t');
            const double x = table[k].second[r];
            if (std::isfinite(x)) fmt::format_to(std::back_inserter(out), "{:.15g}", x);
        }
        out.push_back('\n');
    }
    return out;
}

}  // namespace

Expected<std::string> matText(std::string_view bytes, const std::string& name,
                              const std::stop_token& stop) {
    const char* accepted =
        "a MAT-file (v5, or v7.3 where the library can) with time, voltage and current as vectors "
        "of one length.";
    if (!matio().whole)
        return fail(ErrorKind::Unsupported,
                    phrase("The library that reads MAT-files (libmatio) is not installed."), name,
                    phrase("the log as plain text, or with that library installed."));
    // The library trusts some sizes it should not (found by fuzzing): it works in a child process,
    // and so does the look at those sizes, which has to unpack what is packed.
    return inChild(
        [&]() -> Expected<std::string> {
            const bool hdf = bytes.substr(0, 19) == "MATLAB 7.3 MAT-file";
            if (!hdf && !saneMat5(bytes))
                return fail(
                    ErrorKind::Unreadable,
                    phrase("The MAT-file is damaged, cut off, or of a version that is not known."),
                    name, accepted);
            return loadMat(bytes, name, accepted);
        },
        name, accepted, bytes.size(), stop);
}

}  // namespace nk
