# Turns text files into C strings: NAME.sql becomes the array PREFIX_NAME.
# Usage: cmake -DOUTPUT=file.c -DHEADER=file.h -DPREFIX=hb_sql -DFILES="a.sql;b.sql" -P EmbedText.cmake
get_filename_component(HEADER_NAME "${HEADER}" NAME)
set(code "/* Made by the build from the .sql files */\n#include \"${HEADER_NAME}\"\n")
set(header "/* Made by the build from the .sql files */\n#pragma once\n")
foreach(file IN LISTS FILES)
  get_filename_component(name "${file}" NAME_WE)
  file(READ "${file}" hex HEX)
  string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${hex}")
  string(APPEND code "const char ${PREFIX}_${name}[] = {${bytes}0x00};\n")
  string(APPEND header "extern const char ${PREFIX}_${name}[];\n")
endforeach()
file(WRITE "${OUTPUT}" "${code}")
file(WRITE "${HEADER}" "${header}")
