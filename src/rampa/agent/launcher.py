"""The first program in a sandbox: reads its environment, becomes the run's user, and turns into the step's program.

Its text is handed to the machine's own Python, with ENVIRONMENT SAYS USER FOLDER PROGRAM [ARGUMENT]...: nothing of ours is in a
sandbox. It writes `ok` where it came so far; what else it writes is why the program cannot be started. The environment comes
last, because a step chooses it, and until here this process may be root.
"""

import os
import shutil
import sys

with os.fdopen(int(sys.argv[1]), "rb") as stream:
    environment = dict(line.split(b"=", 1) for line in stream.read().split(b"\0") if line)
says, user, folder, words = int(sys.argv[2]), int(sys.argv[3]), sys.argv[4], sys.argv[5:]
if user:
    os.setgroups([])
    os.setresgid(user, user, user)
    os.setresuid(user, user, user)
os.umask(0o022)
os.chdir(folder)
program = shutil.which(words[0], path=environment.get(b"PATH", b"").decode()) or words[0]
os.set_inheritable(says, False)
try:
    os.write(says, b"ok")
    os.execve(program, words, environment)
except (FileNotFoundError, NotADirectoryError):
    os.write(says, b" missing")
except OSError:
    os.write(says, b" closed")
