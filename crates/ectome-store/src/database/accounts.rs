//! Who may enter the database: one account with a password.
//!
//! A fresh MariaDB has a `root` without password for every local user. The statements here are run by the server itself
//! at each start, before it answers anybody (`--init-file`), so there is no moment in which that account can be used. It
//! heals what it finds, too: a database of an earlier version, a lost password file.

/// The name of the only account.
pub(super) const USER: &str = "ectome";
/// The name of the database.
pub(super) const DATABASE: &str = "ectome";

/// The statements that leave one account with what it needs and no other. It may do everything in its own database and
/// nothing outside it: no files (FILE is a global privilege), no other accounts, no other database.
pub(super) fn statements(password: &str) -> String {
    [
        "CREATE DATABASE IF NOT EXISTS ectome CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;",
        "DELETE FROM mysql.global_priv WHERE User <> 'mariadb.sys';",
        "DELETE FROM mysql.db;",
        "DELETE FROM mysql.proxies_priv;",
        "FLUSH PRIVILEGES;",
        &format!("CREATE USER ectome@localhost IDENTIFIED BY '{password}';"),
        "GRANT ALL PRIVILEGES ON ectome.* TO ectome@localhost;",
        "",
    ]
    .join("\n")
}
