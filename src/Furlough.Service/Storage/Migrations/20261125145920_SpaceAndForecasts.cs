using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class SpaceAndForecasts : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "Times",
                table: "Relocations",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Growth",
                table: "Machines",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "GrowthAt",
                table: "Machines",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "Carried",
                columns: table => new
                {
                    Relocation = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Machine = table.Column<Guid>(type: "TEXT", nullable: false),
                    Room = table.Column<string>(type: "TEXT", nullable: false),
                    FromMedium = table.Column<string>(type: "TEXT", nullable: false),
                    FromAttached = table.Column<string>(type: "TEXT", nullable: false),
                    ToMedium = table.Column<string>(type: "TEXT", nullable: false),
                    ToAttached = table.Column<string>(type: "TEXT", nullable: false),
                    DataBytes = table.Column<long>(type: "INTEGER", nullable: false),
                    Files = table.Column<long>(type: "INTEGER", nullable: false),
                    MovingSeconds = table.Column<double>(type: "REAL", nullable: false),
                    RestSeconds = table.Column<double>(type: "REAL", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Carried", x => x.Relocation);
                });

            migrationBuilder.CreateTable(
                name: "Space",
                columns: table => new
                {
                    Machine = table.Column<Guid>(type: "TEXT", nullable: false),
                    Volume = table.Column<string>(type: "TEXT", nullable: false),
                    At = table.Column<long>(type: "INTEGER", nullable: false),
                    UsedBytes = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Space", x => new { x.Machine, x.Volume, x.At });
                });

            migrationBuilder.CreateTable(
                name: "SpaceBreaks",
                columns: table => new
                {
                    Machine = table.Column<Guid>(type: "TEXT", nullable: false),
                    At = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_SpaceBreaks", x => new { x.Machine, x.At });
                });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "Carried");

            migrationBuilder.DropTable(
                name: "Space");

            migrationBuilder.DropTable(
                name: "SpaceBreaks");

            migrationBuilder.DropColumn(
                name: "Times",
                table: "Relocations");

            migrationBuilder.DropColumn(
                name: "Growth",
                table: "Machines");

            migrationBuilder.DropColumn(
                name: "GrowthAt",
                table: "Machines");
        }
    }
}
