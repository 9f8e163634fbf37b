// A program that goes on saving while its folder is copied, in every way in which programs save.
// writer SEED HOLDING REPORT   At SIGTERM it stops and writes what it has saved last into REPORT, under the same names.
#define _GNU_SOURCE
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>

enum { FILES = 24, MAPS = 6, MOST = 40000 };
static volatile sig_atomic_t ended;
static unsigned long state;
static char saved[FILES][MOST], *maps[MAPS], mapped[MAPS][MOST];
static int length[FILES]; // -1: there is no such file

static void end(int signal) { (void)signal; ended = 1; }
static unsigned draw(unsigned below) { state = state * 6364136223846793005UL + 1442695040888963407UL; return (unsigned)(state >> 33) % below; }
static void fill(char *at, int bytes) { for (int i = 0; i < bytes; i++) at[i] = (char)('a' + draw(26)); }
static void must(int good, const char *what) { if (!good) { perror(what); exit(3); } }
static void put(int file, const char *from, int bytes, long at) { must(pwrite(file, from, (size_t)bytes, at) == bytes, "pwrite"); }

static void report(const char *folder, const char *kind, int number, const char *from, int bytes)
{
    char path[4096];
    snprintf(path, sizeof path, "%s/%s-%d", folder, kind, number);
    int file = open(path, O_CREAT | O_WRONLY | O_TRUNC, 0600);
    must(file >= 0, path);
    put(file, from, bytes, 0);
    close(file);
}

int main(int count, char **words)
{
    must(count == 4, "writer SEED HOLDING REPORT");
    signal(SIGTERM, end);
    state = strtoul(words[1], NULL, 10) * 2654435761UL + 7;
    char path[4096], fresh[4096];
    for (int i = 0; i < FILES; i++) length[i] = -1;
    for (int i = 0; i < MAPS; i++)
    {
        snprintf(path, sizeof path, "%s/map-%d", words[2], i);
        int file = open(path, O_CREAT | O_RDWR | O_TRUNC, 0600);
        must(file >= 0, path);
        fill(mapped[i], MOST);
        put(file, mapped[i], MOST, 0);
        maps[i] = mmap(NULL, MOST, PROT_READ | PROT_WRITE, MAP_SHARED, file, 0);
        must(maps[i] != MAP_FAILED, "mmap");
        close(file);
    }
    puts("begun");
    fflush(stdout);
    while (!ended)
    {
        int n = (int)draw(FILES), at = (int)draw(MOST / 2), bytes = 1 + (int)draw(MOST / 2 - 1), file;
        snprintf(path, sizeof path, "%s/file-%d", words[2], n);
        switch (draw(9))
        {
            case 0: // anew
                must((file = open(path, O_CREAT | O_WRONLY | O_TRUNC, 0600)) >= 0, path);
                fill(saved[n], bytes); put(file, saved[n], bytes, 0); length[n] = bytes; close(file);
                break;
            case 1: // in place
                if (length[n] < 0 || at + bytes > length[n]) break;
                must((file = open(path, O_WRONLY)) >= 0, path);
                fill(saved[n] + at, bytes); put(file, saved[n] + at, bytes, at); close(file);
                break;
            case 2: case 3: // mapped, over and over on the same pages, told to nobody
            {
                int m = (int)draw(MAPS);
                for (int times = 1 + (int)draw(4); times > 0; times--) { fill(mapped[m] + at, 64); memcpy(maps[m] + at, mapped[m] + at, 64); }
                break;
            }
            case 4: // at the end
                if (length[n] < 0 || length[n] + bytes > MOST) break;
                must((file = open(path, O_WRONLY | O_APPEND)) >= 0, path);
                fill(saved[n] + length[n], bytes);
                must(write(file, saved[n] + length[n], (size_t)bytes) == bytes, "write");
                length[n] += bytes; close(file);
                break;
            case 5: // cut off
                if (length[n] <= 1) break;
                length[n] = (int)draw((unsigned)length[n]);
                must(!truncate(path, length[n]), path);
                break;
            case 6: // a new file renamed over the old one
                snprintf(fresh, sizeof fresh, "%s/new-%d", words[2], n);
                must((file = open(fresh, O_CREAT | O_WRONLY | O_TRUNC, 0600)) >= 0, fresh);
                fill(saved[n], bytes); put(file, saved[n], bytes, 0); length[n] = bytes; close(file);
                must(!rename(fresh, path), path);
                break;
            case 7: // a file without a name gets one
            {
                char own[64];
                if ((file = open(words[2], O_TMPFILE | O_WRONLY, 0600)) < 0) break;
                fill(saved[n], bytes); put(file, saved[n], bytes, 0);
                unlink(path); length[n] = bytes;
                snprintf(own, sizeof own, "/proc/self/fd/%d", file);
                must(!linkat(AT_FDCWD, own, AT_FDCWD, path, AT_SYMLINK_FOLLOW), path);
                close(file);
                break;
            }
            case 8:
                if (draw(4) == 0 && length[n] >= 0) { must(!unlink(path), path); length[n] = -1; }
                break;
        }
        if (draw(50) == 0) usleep(draw(3000));
    }
    for (int i = 0; i < FILES; i++) if (length[i] >= 0) report(words[3], "file", i, saved[i], length[i]);
    for (int i = 0; i < MAPS; i++) report(words[3], "map", i, mapped[i], MOST);
    return 0;
}
