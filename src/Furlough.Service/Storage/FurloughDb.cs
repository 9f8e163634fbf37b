using Furlough.Model;
using Furlough.Protocol.Api;
using Furlough.Service.Errands;
using Furlough.Service.Relocations;
using Furlough.Service.Runs;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Design;
using Microsoft.EntityFrameworkCore.Storage.ValueConversion;

namespace Furlough.Service.Storage;

/// <summary>The service's storage.</summary>
public sealed class FurloughDb(DbContextOptions<FurloughDb> options) : DbContext(options)
{
    /// <summary>Counts the changes of a row for which people and agents race, so that none overwrites another.</summary>
    private const string Version = nameof(Version);

    private static readonly Type[] Versioned =
    [
        typeof(MachineRow),
        typeof(InviteRow),
        typeof(RunRow),
        typeof(RelocationRow),
        typeof(DocketRow),
        typeof(ErrandRow),
        typeof(DrillRow),
        typeof(OriginalRow),
    ];

    public DbSet<MachineRow> Machines => Set<MachineRow>();

    public DbSet<SurveyRow> Surveys => Set<SurveyRow>();

    public DbSet<InviteRow> Invites => Set<InviteRow>();

    public DbSet<TokenRow> Tokens => Set<TokenRow>();

    public DbSet<KindRow> Kinds => Set<KindRow>();

    public DbSet<PlanRow> Plans => Set<PlanRow>();

    public DbSet<ConsentRow> Consents => Set<ConsentRow>();

    public DbSet<RunRow> Runs => Set<RunRow>();

    public DbSet<RelocationRow> Relocations => Set<RelocationRow>();

    public DbSet<ErrandRow> Errands => Set<ErrandRow>();

    public DbSet<DrillRow> Drills => Set<DrillRow>();

    public DbSet<DocketRow> Dockets => Set<DocketRow>();

    public DbSet<BulletinRow> Bulletins => Set<BulletinRow>();

    public DbSet<OriginalRow> Originals => Set<OriginalRow>();

    public DbSet<ReserveRow> Reserves => Set<ReserveRow>();

    public DbSet<EndedSessionRow> EndedSessions => Set<EndedSessionRow>();

    public DbSet<AuditRow> Audits => Set<AuditRow>();

    public DbSet<SpaceRow> Space => Set<SpaceRow>();

    public DbSet<SpaceBreakRow> SpaceBreaks => Set<SpaceBreakRow>();

    public DbSet<CarriedRow> Carried => Set<CarriedRow>();

    public DbSet<HistoryRow> History => Set<HistoryRow>();

    public DbSet<ReceiverRow> Receivers => Set<ReceiverRow>();

    public DbSet<NotificationRow> Notifications => Set<NotificationRow>();

    public DbSet<AgentSessionRow> AgentSessions => Set<AgentSessionRow>();

    public DbSet<AnsweredChallengeRow> AnsweredChallenges => Set<AnsweredChallengeRow>();

    public DbSet<OutboxRow> Outbox => Set<OutboxRow>();

    public DbSet<CounterRow> Counters => Set<CounterRow>();

    public DbSet<LeaseRow> Leases => Set<LeaseRow>();

    /// <summary>What follows from the unit of work that is under way.</summary>
    public Effects Effects { get; private set; } = new();

    /// <summary>A unit of work begins.</summary>
    /// <param name="correlation">Of the call that it belongs to; null for none.</param>
    internal Effects BeginUnit(string? correlation)
    {
        Correlation = correlation;
        return Effects = new Effects();
    }

    /// <summary>Of the call that led to what is done now; null where nobody called.</summary>
    internal string? Correlation { get; set; }

    /// <summary>Adds a line to the history.</summary>
    public void Record(
        DateTimeOffset at,
        string by,
        HistoryEvent what,
        HistorySubject about,
        string? from = null,
        string? to = null,
        string? detail = null
    )
    {
        var row = new HistoryRow
        {
            At = at,
            By = by,
            Event = what,
            About = about.Kind,
            SubjectNumber = about.Number,
            SubjectName = about.Name,
            From = from,
            To = to,
            Detail = detail,
            Correlation = Correlation,
        };
        History.Add(row);
        Effects.Log(row);
    }

    public override Task<int> SaveChangesAsync(
        bool acceptAllChangesOnSuccess,
        CancellationToken cancellationToken = default
    )
    {
        ChangeTracker.DetectChanges();
        foreach (var entry in ChangeTracker.Entries().Where(e => e.State is not EntityState.Unchanged))
        {
            if (MachineOf(entry.Entity) is { } machine)
                Effects.Touch(machine);
            if (entry.State == EntityState.Modified && entry.Metadata.FindProperty(Version) is { } version)
                entry.Property(version).CurrentValue = (long)entry.Property(version).OriginalValue! + 1;
        }
        return base.SaveChangesAsync(acceptAllChangesOnSuccess, cancellationToken);
    }

    private static Guid? MachineOf(object row) =>
        row switch
        {
            MachineRow m => m.Id,
            SurveyRow s => s.Machine,
            RelocationRow r => r.Machine,
            OriginalRow o => o.Machine,
            _ => null,
        };

    protected override void ConfigureConventions(ModelConfigurationBuilder configurationBuilder)
    {
        // Times are UTC ticks: comparable and sortable in every database.
        configurationBuilder.Properties<DateTimeOffset>().HaveConversion<UtcTicksConverter>();
        configurationBuilder.Properties<TimeSpan>().HaveConversion<long>();
        configurationBuilder.Properties<RelocationState>().HaveConversion<string>();
        configurationBuilder.Properties<Step>().HaveConversion<string>();
        configurationBuilder.Properties<Live>().HaveConversion<string>();
        configurationBuilder.Properties<RunState>().HaveConversion<string>();
        configurationBuilder.Properties<AccessLevel>().HaveConversion<string>();
        configurationBuilder.Properties<Medium>().HaveConversion<string>();
        configurationBuilder.Properties<Attachment>().HaveConversion<string>();
        configurationBuilder.Properties<DocketWork>().HaveConversion<string>();
        configurationBuilder.Properties<ErrandKind>().HaveConversion<string>();
        configurationBuilder.Properties<ErrandCause>().HaveConversion<string>();
        configurationBuilder.Properties<ErrandState>().HaveConversion<string>();
        configurationBuilder.Properties<NotificationEvent>().HaveConversion<string>();
        configurationBuilder.Properties<HistoryEvent>().HaveConversion<string>();
        configurationBuilder.Properties<SubjectKind>().HaveConversion<string>();
        configurationBuilder.Properties<NotificationState>().HaveConversion<string>();
    }

    protected override void OnModelCreating(ModelBuilder modelBuilder)
    {
        modelBuilder.Entity<MachineRow>().HasIndex(m => m.Name).IsUnique();
        modelBuilder.Entity<MachineRow>().Property(m => m.Tag).HasColumnName("Role");
        modelBuilder.Entity<SurveyRow>().HasKey(s => s.Machine);
        modelBuilder.Entity<TokenRow>().HasIndex(t => t.Hash).IsUnique();
        modelBuilder.Entity<TokenRow>().Property(t => t.Level).HasColumnName("Role");
        modelBuilder.Entity<KindRow>().HasKey(k => k.Name);
        modelBuilder.Entity<PlanRow>().HasKey(p => p.Number);
        modelBuilder.Entity<RunRow>().HasKey(r => r.Number);
        modelBuilder.Entity<RelocationRow>().HasKey(r => r.Number);
        modelBuilder.Entity<RelocationRow>().HasIndex(r => new { r.Run, r.State });
        modelBuilder.Entity<RelocationRow>().HasIndex(r => r.Machine);
        modelBuilder.Entity<DrillRow>().HasKey(d => d.Number);
        modelBuilder.Entity<DrillRow>().HasIndex(d => d.Machine);
        modelBuilder.Entity<ErrandRow>().HasKey(e => e.Number);
        modelBuilder.Entity<ErrandRow>().HasIndex(e => new { e.Run, e.Machine });
        modelBuilder.Entity<DocketRow>().HasIndex(d => new { d.Machine, d.Number }).IsUnique();
        modelBuilder.Entity<BulletinRow>().HasKey(b => new { b.Machine, b.Number });
        modelBuilder.Entity<OriginalRow>().HasKey(o => o.Number);
        modelBuilder.Entity<OriginalRow>().HasIndex(o => o.Docket).IsUnique();
        modelBuilder.Entity<ReserveRow>().HasKey(r => r.Room);
        modelBuilder.Entity<AuditRow>().HasKey(a => a.Number);
        modelBuilder
            .Entity<SpaceRow>()
            .HasKey(s => new
            {
                s.Machine,
                s.Volume,
                s.At,
            });
        modelBuilder.Entity<SpaceBreakRow>().HasKey(b => new { b.Machine, b.At });
        modelBuilder.Entity<CarriedRow>().HasKey(c => c.Relocation);
        modelBuilder.Entity<HistoryRow>().HasKey(h => h.Number);
        modelBuilder.Entity<HistoryRow>().Property(h => h.Event).HasColumnName("Action");
        modelBuilder.Entity<HistoryRow>().Ignore(h => h.Subject);
        modelBuilder.Entity<HistoryRow>().HasIndex(h => new { h.About, h.SubjectNumber });
        modelBuilder.Entity<ReceiverRow>().HasIndex(r => r.Name).IsUnique();
        modelBuilder.Entity<NotificationRow>().ToTable("Notices").HasKey(n => new { n.Receiver, n.Entry });
        modelBuilder.Entity<NotificationRow>().HasIndex(n => n.State);
        modelBuilder.Entity<AgentSessionRow>().HasKey(s => s.Machine);
        modelBuilder.Entity<AgentSessionRow>().HasIndex(s => s.Token).IsUnique();
        modelBuilder.Entity<AnsweredChallengeRow>().HasKey(c => c.Challenge);
        modelBuilder.Entity<OutboxRow>().HasKey(e => e.Number);
        modelBuilder.Entity<OutboxRow>().Property(e => e.Number).ValueGeneratedNever();
        modelBuilder.Entity<CounterRow>().HasKey(c => c.Name);
        modelBuilder.Entity<CounterRow>().HasData(new CounterRow { Name = "outbox" });
        modelBuilder.Entity<LeaseRow>().HasKey(l => l.Work);
        foreach (var row in Versioned)
            modelBuilder.Entity(row).Property<long>(Version).IsConcurrencyToken();
    }

    private sealed class UtcTicksConverter()
        : ValueConverter<DateTimeOffset, long>(t => t.UtcTicks, ticks => new DateTimeOffset(ticks, TimeSpan.Zero));
}

/// <summary>Used by the migration tool only.</summary>
public sealed class FurloughDbForMigrations : IDesignTimeDbContextFactory<FurloughDb>
{
    public FurloughDb CreateDbContext(string[] args) =>
        new(new DbContextOptionsBuilder<FurloughDb>().UseSqlite("Data Source=migrations.db").Options);
}
