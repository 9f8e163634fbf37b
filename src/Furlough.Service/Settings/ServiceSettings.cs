namespace Furlough.Service.Settings;

/// <summary>All settings of the service, and how its options are made from them.</summary>
public static class ServiceSettings
{
    /// <summary>The folder of everything that the service keeps.</summary>
    public static readonly Setting Data = new(
        "data",
        SettingForm.Text,
        "Folder for storage, keys and the first token; /var/lib/furlough when left out",
        "/var/lib/furlough"
    );
    private static readonly Setting Port = new(
        "port",
        SettingForm.Number,
        "Port on this machine's loopback, without TLS; 8400 when left out, and 0 takes a free one",
        "8400"
    );
    private static readonly Setting Listen = new(
        "listen",
        SettingForm.Text,
        "Address for other machines, with TLS; left out, only this machine is served",
        "https://0.0.0.0:8443"
    );
    private static readonly Setting PublicAddress = new(
        "public-address",
        SettingForm.Text,
        "Address by which people reach the console, for links in mails and for invites",
        "https://furlough.fen.example:8443"
    );
    private static readonly Setting BehindProxy = new(
        "behind-proxy",
        SettingForm.Text,
        "IP address of a proxy that stands before the service: it alone is believed whose calls it passes on",
        "127.0.0.1"
    );
    private static readonly Setting ProxyAuthority = new(
        "proxy-authority",
        SettingForm.Text,
        "File (PEM) with the authority of the proxy's certificate, where the machines of the agents do not trust it",
        "/etc/furlough/office-authority.pem"
    );
    private static readonly Setting Hsts = new(
        "hsts",
        SettingForm.YesNo,
        "Tell browsers to use TLS alone with this host for a year (HSTS); it covers every port of the host",
        "true"
    );
    private static readonly Setting MailFrom = new(
        "mail-from",
        SettingForm.Text,
        "Address that mail comes from",
        "furlough@fen.example"
    );
    private static readonly Setting MailServer = new(
        "mail-server",
        SettingForm.Text,
        "Server through which mail is sent: smtp://HOST:PORT or smtps://HOST:PORT, with an account as smtp://ACCOUNT@HOST:PORT",
        "smtp://mail.fen.example:25"
    );
    private static readonly Setting MailPassword = new(
        "mail-password-file",
        SettingForm.Text,
        "File with the password of that account, in its first line",
        "/etc/furlough/mail-password"
    );
    private static readonly Setting CallPrivate = new(
        "call-private-networks",
        SettingForm.YesNo,
        "Let web calls go to addresses of private networks and of this machine",
        "true"
    );

    private static readonly Setting MetricsPort = new(
        "metrics-port",
        SettingForm.Number,
        "Port on this machine's loopback for /metrics and /health alone, without a token; left out, /metrics needs one",
        "8401"
    );
    private static readonly Setting Collector = new(
        "otlp-address",
        SettingForm.Text,
        "Address of a collector that takes figures and traces (OTLP over HTTP)",
        "http://127.0.0.1:4318"
    );
    private static readonly Setting JsonLog = new(
        "log-json",
        SettingForm.YesNo,
        "Write the log as JSON, one object a line",
        "true"
    );
    private static readonly Setting Provider = new(
        "sign-in-provider",
        SettingForm.Text,
        "Address (issuer) of an OpenID provider with which people sign in; left out, they sign in with tokens only",
        "https://id.fen.example"
    );
    private static readonly Setting ProviderClient = new(
        "sign-in-client",
        SettingForm.Text,
        "Client under which that provider knows this service; it sends people back to /sign-in/callback",
        "furlough"
    );
    private static readonly Setting ProviderSecret = new(
        "sign-in-secret-file",
        SettingForm.Text,
        "File with the secret of that client, in its first line",
        "/etc/furlough/sign-in-secret"
    );
    private static readonly Setting ProviderScopes = new(
        "sign-in-scopes",
        SettingForm.Text,
        "What the provider is asked for besides openid, profile, email and offline_access",
        "groups"
    );
    private static readonly Setting ProviderGroups = new(
        "sign-in-groups",
        SettingForm.Text,
        "Claim in which the provider tells a person's groups; groups when left out",
        "groups"
    );
    private static readonly Setting ProviderLevels = new(
        "sign-in-levels",
        SettingForm.Text,
        "Access levels of groups, GROUP=LEVEL with commas between; the first group that a person is in counts",
        "it-lead=steward, it-desk=technician, it-audit=reader"
    );
    private static readonly Setting BackupFolder = new(
        "backup-folder",
        SettingForm.Text,
        "Folder in which the service backs itself up while it runs; left out, it makes no backups",
        "/var/backups/furlough"
    );
    private static readonly Setting BackupEvery = new(
        "backup-every",
        SettingForm.Number,
        "Hours from one backup to the next; 24 when left out",
        "24"
    );
    private static readonly Setting BackupKeep = new(
        "backup-keep",
        SettingForm.Number,
        "How many backups are kept; 14 when left out",
        "14"
    );

    /// <summary>Closes backups, and opens them again.</summary>
    public static readonly Setting BackupPassphrase = new(
        "backup-passphrase-file",
        SettingForm.Text,
        "File with the passphrase of backups, in its first line; left out, whoever has a backup can read its keys",
        "/etc/furlough/backup-passphrase"
    );

    /// <summary>All of them, in the order in which people read them.</summary>
    public static IReadOnlyList<Setting> All { get; } =
    [
        Data,
        Port,
        Listen,
        PublicAddress,
        BehindProxy,
        ProxyAuthority,
        Hsts,
        MailServer,
        MailFrom,
        MailPassword,
        CallPrivate,
        MetricsPort,
        Collector,
        JsonLog,
        Provider,
        ProviderClient,
        ProviderSecret,
        ProviderScopes,
        ProviderGroups,
        ProviderLevels,
        BackupFolder,
        BackupEvery,
        BackupKeep,
        BackupPassphrase,
    ];

    /// <summary>Reads all settings: an option counts before a variable, a variable before the file.</summary>
    /// <param name="file">The settings file; null for none.</param>
    /// <param name="option">What the command line says of a setting; null for nothing.</param>
    /// <exception cref="IOException">The file cannot be read.</exception>
    /// <exception cref="SettingsException">Something is wrong; all of it is reported.</exception>
    public static ServiceOptions Read(string? file, Func<Setting, string?> option) =>
        Build(new SettingsReading(Gather(file, option)));

    /// <summary>What is set, and where.</summary>
    /// <exception cref="SettingsException">Something is wrong with the file.</exception>
    public static IReadOnlyDictionary<string, SettingValue> Gather(string? file, Func<Setting, string?> option)
    {
        var values = file is null ? [] : SettingsFile.Read(file);
        foreach (var setting in All)
            if (option(setting) is { } given)
                values[setting.Name] = new SettingValue(given, setting.Option);
            else if (Environment.GetEnvironmentVariable(setting.Variable) is { Length: > 0 } variable)
                values[setting.Name] = new SettingValue(variable, setting.Variable);
        return values;
    }

    private static ServiceOptions Build(SettingsReading read)
    {
        var options = new ServiceOptions(
            Path.GetFullPath(read.Text(Data) ?? "/var/lib/furlough"),
            read.Port(Port) ?? 8400
        )
        {
            Listen = read.ListenAddress(Listen),
            PublicAddress = read.PublicAddress(PublicAddress),
            Proxy = read.Proxy(BehindProxy, ProxyAuthority),
            Hsts = read.YesNo(Hsts),
            Mail = read.Mail(MailServer, MailFrom, MailPassword),
            MayCallPrivate = read.YesNo(CallPrivate),
            MetricsPort = read.Port(MetricsPort),
            Collector = read.Collector(Collector),
            JsonLog = read.YesNo(JsonLog),
            Provider = read.Provider(
                Provider,
                ProviderClient,
                ProviderSecret,
                ProviderScopes,
                ProviderGroups,
                ProviderLevels
            ),
            Backups = read.Backups(BackupFolder, BackupEvery, BackupKeep),
            BackupPassphrase = read.Secret(BackupPassphrase),
        };
        read.Needs(BehindProxy, PublicAddress, "so that it knows the name by which it is called through the proxy");
        return read.Errors.Count == 0 ? options : throw new SettingsException(read.Errors);
    }
}
