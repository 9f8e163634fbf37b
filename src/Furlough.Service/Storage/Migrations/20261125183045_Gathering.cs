using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class Gathering : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<long>(
                name: "GatheredAt",
                table: "Relocations",
                type: "INTEGER",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "GatheredAt",
                table: "Relocations");
        }
    }
}
