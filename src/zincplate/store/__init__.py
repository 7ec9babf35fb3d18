"""What is kept: the MariaDB server's life, the models, migrations, and the library folder."""
