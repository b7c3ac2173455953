/** What ends the name of a file of sound or picture. What else follows a dot is part of a name: Island 5.1. */
const ending =
  /\.(wave?|bwf|rf64|w64|bw64|aif[fc]?|flac|caf|mp[234]|m4[av]|ogg|opus|mov|mkv|mxf|avi|webm|mpe?g|mts|m2ts|csv|txt|pdf|xml)$/i;

/** The name of a file without its ending, as the server has it (take.Bare). */
export const bare = (fileName: string) => fileName.replace(ending, "");
