"""huey on the same MariaDB: each task calls one use case. The job row, not the queue, is the truth."""
