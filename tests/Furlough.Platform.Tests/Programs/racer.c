// An account that works against the agent: races renames, exchanges, links, pipes and modes in folders that it may write, as fast as it can.
// racer SEED SECRETS HOLDING FOLDER...   SECRETS: what links are made to; HOLDING: exchanged for a link and back; FOLDER: where entries are raced.
// Ends at SIGTERM, when the holding stands where it stood.
#define _GNU_SOURCE
#include <dirent.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

static volatile sig_atomic_t ended;
static unsigned long state;

static void end(int signal) { (void)signal; ended = 1; }
static unsigned draw(unsigned below) { state = state * 6364136223846793005UL + 1442695040888963407UL; return (unsigned)(state >> 33) % below; }
static long exchange(const char *a, const char *b) { return syscall(SYS_renameat2, AT_FDCWD, a, AT_FDCWD, b, 2); }

// What is left alone: what is called "quiet", the holding itself (exchanged as a whole below) and where settings are.
static int spared(const char *name) { return !strcmp(name, ".") || !strcmp(name, "..") || !strncmp(name, "quiet", 5) || !strncmp(name, "Documents", 9) || !strcmp(name, ".config"); }

// Some entry of a folder that is raced for.
static int pick(const char *folder, char *path, size_t size)
{
    DIR *open = opendir(folder);
    if (!open) return 0;
    int found = 0;
    for (struct dirent *entry; (entry = readdir(open));)
        if (!spared(entry->d_name) && draw(++found) == 0) snprintf(path, size, "%s/%s", folder, entry->d_name);
    closedir(open);
    return found > 0;
}

int main(int count, char **words)
{
    signal(SIGTERM, end);
    state = strtoul(words[1], NULL, 10) * 2654435761UL + 1;
    umask(0);
    char mine[4096], other[4096], secret[4096], away[4096];
    snprintf(away, sizeof away, "%s-away", words[3]);
    while (!ended)
    {
        const char *folder = words[4 + draw((unsigned)count - 4)];
        snprintf(mine, sizeof mine, "%s/raced-%u", folder, draw(40));
        int there = pick(folder, other, sizeof other);
        if (!pick(words[2], secret, sizeof secret)) snprintf(secret, sizeof secret, "%s", words[2]);
        switch (draw(12))
        {
            case 0: symlink(secret, mine); break;
            case 1: mkfifo(mine, 0666); break;
            case 2: link(secret, mine); break;
            case 3: if (there) rename(other, mine); break;
            case 4: if (there) exchange(other, mine); break;
            case 5: mkdir(mine, 0777); break;
            case 6: unlink(mine); break;
            case 7: rmdir(mine); break;
            case 8: if (there) link(other, mine); break;
            case 9: { int file = open(mine, O_CREAT | O_WRONLY | O_TRUNC | O_NOFOLLOW | O_NONBLOCK, 0666); if (file >= 0) { if (write(file, secret, strlen(secret)) < 0) {} close(file); } break; }
            case 10:
                // What the agent put there, if it can be reached: renamed away, with one of our own in its stead.
                snprintf(mine, sizeof mine, "%s/.furlough-dockets", folder);
                if (!rename(mine, away)) mkdir(mine, 0777);
                break;
            case 11:
                if (draw(20) || strcmp(words[3], "-") == 0) break;
                // The whole holding exchanged for a link to the secrets, and back.
                if (symlink(words[2], away)) break;
                if (!exchange(words[3], away)) while (exchange(words[3], away)) if (access(words[3], F_OK) && !rename(away, words[3])) break;
                unlink(away);
                break;
        }
    }
    return 0;
}
