# nk_layer(NAME SOURCES … LAYERS … LINKS … PRECOMPILE …)
#
# One folder of src/ is one library. Its headers are reached as "folder/file.h" through an
# include root of its own, so a folder can include only what it links: the direction of the
# house (docs/architecture.md) is kept by the build, not by promise.
function(nk_include_root name)
  set(root ${CMAKE_BINARY_DIR}/layers/${name})
  file(MAKE_DIRECTORY ${root})
  if(NOT EXISTS ${root}/${name})
    file(CREATE_LINK ${CMAKE_SOURCE_DIR}/src/${name} ${root}/${name} SYMBOLIC)
  endif()
  set(NK_INCLUDE_ROOT ${root} PARENT_SCOPE)
endfunction()

function(nk_layer name)
  cmake_parse_arguments(ARG "" "" "SOURCES;LAYERS;LINKS;PRECOMPILE" ${ARGN})
  nk_include_root(${name})
  add_library(nk_${name} STATIC ${ARG_SOURCES})
  target_include_directories(nk_${name} PUBLIC ${NK_INCLUDE_ROOT})
  foreach(layer ${ARG_LAYERS})
    target_link_libraries(nk_${name} PUBLIC nk_${layer})
  endforeach()
  target_link_libraries(nk_${name} PUBLIC tl::expected ${ARG_LINKS})
  # Headers that nearly every file reads: parsed once a layer.
  list(FIND ARG_LINKS fmt::fmt has_fmt)
  if(has_fmt GREATER -1)
    target_precompile_headers(nk_${name} PRIVATE <fmt/format.h> <algorithm> <cmath> <functional> <map> <memory> <optional>
                              <span> <string> <vector> <tl/expected.hpp> ${ARG_PRECOMPILE})
    # With a precompiled header GCC 12 forgets that std::string is a system header and warns of
    # copies inside it that cannot happen (GCC bugs 105329 and 105651).
    target_compile_options(nk_${name} PRIVATE "$<$<CXX_COMPILER_ID:GNU>:-Wno-array-bounds;-Wno-stringop-overflow;-Wno-stringop-overread>")
  endif()
endfunction()

# nk_embed(TARGET SYMBOL FILES …): the files' text as a C++ table {name, text}.
function(nk_embed target symbol)
  set(out ${CMAKE_CURRENT_BINARY_DIR}/${symbol}.cpp)
  set(body "#include <string_view>\n#include <utility>\n#include <vector>\nnamespace nk {\nconst std::vector<std::pair<std::string_view, std::string_view>>& ${symbol}();\nconst std::vector<std::pair<std::string_view, std::string_view>>& ${symbol}() {\n  static const std::vector<std::pair<std::string_view, std::string_view>> files = {\n")
  foreach(file ${ARGN})
    file(READ ${file} text)
    get_filename_component(stem ${file} NAME_WE)
    string(APPEND body "    {\"${stem}\", R\"nkdata(${text})nkdata\"},\n")
    set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${file})
  endforeach()
  string(APPEND body "  };\n  return files;\n}\n}  // namespace nk\n")
  file(CONFIGURE OUTPUT ${out} CONTENT "@body@" @ONLY)
  target_sources(${target} PRIVATE ${out})
endfunction()
